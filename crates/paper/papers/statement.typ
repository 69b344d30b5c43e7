// Statements, each on its own page: to whom, what is left of which visit and why, and how to pay.
#import "house.typ": *
#let d = json("data.json")

#let one(s) = {
  set text(size: if s.large { 13pt } else { 10pt })
  v(8mm)
  for line in s.to { block(spacing: 0.5em, line) }
  v(8mm)
  grid(columns: (1fr, auto), text(size: 1.4em, weight: 700)[Statement], align(right)[#s.date \ #aside[#s.number]])
  v(2mm)
  block(width: 100%, inset: (y: 2mm), stroke: (top: 1pt + line-colour, bottom: 1pt + line-colour))[
    *Please pay* #h(1fr) *#s.sum*
  ]
  if s.plan != "" { v(1mm); s.plan }
  v(3mm)
  for section in s.sections {
    block(breakable: false, width: 100%, spacing: 4mm)[
      *#section.who*, #section.what
      #v(1mm)
      #for l in section.lines {
        let words = if l.at("aside", default: false) { h(4mm) + aside(l.words) } else if l.at("strong", default: false) { strong(l.words) } else { l.words }
        let amount = if l.at("strong", default: false) { strong(mono(l.amount)) } else { mono(l.amount) }
        block(spacing: 0.5em, grid(columns: (1fr, 30mm), gutter: 3mm, words, align(right, amount)))
      }
    ]
  }
  v(3mm)
  block(breakable: false, width: 100%)[
    *How to pay* \
    #for line in s.pay.split("\n") { block(spacing: 0.5em, line) }
    #v(2mm)
    #s.questions
  ]
}

#show: body => paper(d.head, d.title, body)
#for (n, s) in d.statements.enumerate() {
  if n > 0 { pagebreak() }
  one(s)
}
