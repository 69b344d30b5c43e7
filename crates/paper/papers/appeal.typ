// A letter to a payer that denied something: what it is about, what was denied and why, and what the clinic says to that.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, d.title, body)

#v(8mm)
#for line in d.to { block(spacing: 0.5em, line) }
#v(10mm)
#align(right, d.date)
#v(4mm)
#text(size: 1.15em, weight: 700)[#d.title]
#v(2mm)
#for f in d.facts {
  block(spacing: 0.55em, grid(columns: (42mm, 1fr), gutter: 3mm, aside(f.label), f.words))
}
#v(4mm)
#if d.denied.len() > 0 [
  #aside[What was not paid] \
  #for one in d.denied {
    block(spacing: 0.55em, grid(columns: (24mm, 1fr), gutter: 3mm, align(right, mono(one.amount)), one.words))
  }
  #v(4mm)
]
#for words in d.words { par(words); v(1mm) }
#v(14mm)
#d.signed
