// What was paid, by whom, for what.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, d.title, body, large: d.large)

#text(size: 1.4em, weight: 700)[#d.title]
#v(2mm)
#d.payer, #d.at, taken by #d.by
#v(4mm)
#for p in d.parts {
  block(breakable: false, width: 100%, inset: (y: 2mm), stroke: (top: 0.5pt + line-colour))[
    #p.name, #p.words #h(1fr) #p.amount
  ]
}
#block(width: 100%, inset: (y: 2mm), stroke: (top: 1pt + line-colour))[*#d.sum-words* #h(1fr) *#d.sum*]
#for m in d.means [
  #aside[#m.words #h(1fr) #m.amount]
  #linebreak()
]
#v(3mm)
#d.left
#if d.note != "" [
  #v(3mm)
  *#d.note*
]
#v(6mm)
#aside[Receipt #d.number]
