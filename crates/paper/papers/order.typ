// What goes out with an order: a requisition, a request for a study, a letter of referral.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, d.title, body, large: false)

#let fact(label, words) = if words != "" {
  grid(columns: (34mm, 1fr), gutter: 3mm, text(size: 0.85em, fill: quiet)[#label], words)
}

#grid(
  columns: (1fr, auto),
  gutter: 6mm,
  [
    #text(size: 1.4em, weight: 700)[#d.title] \
    #if d.urgency != "" [*#d.urgency* \ ]
    #d.dated
  ],
  align(right)[
    #if d.bars.len() > 0 [#scan(d.bars) \ ]
    #text(size: 0.85em)[#mono(d.reference)]
  ],
)
#v(2mm)
#if d.to != "" [
  #aside[To] \
  #text(size: 1.1em)[*#d.to*]
  #v(2mm)
]
#block(width: 100%, inset: (y: 2.5mm), stroke: (y: 0.5pt + line-colour))[
  #text(size: 1.1em, weight: 700)[#d.patient.name] \
  #d.patient.line
  #if d.patient.reach != "" [ \ #aside(d.patient.reach)]
]
#v(2mm)
#if d.question != "" [
  #aside[What is asked] \
  #text(size: 1.1em)[#d.question]
  #v(2mm)
]
#for item in d.items {
  block(width: 100%, breakable: false, below: 3mm)[
    *#item.name* #if item.detail != "" [#aside(item.detail)] \
    #for under in item.under [For #mono(under.code) #under.title \ ]
    #for a in item.answers { fact(a.label, a.words) }
  ]
}
#if d.pays.len() > 0 { v(1mm) }
#for p in d.pays { fact(p.label, p.words) }
#if d.enclosed.len() > 0 {
  v(1mm)
  for part in d.enclosed {
    block(width: 100%, below: 2.5mm)[
      #text(size: 0.85em, fill: quiet)[#part.label] \
      #part.words
    ]
  }
}
#v(3mm)
#block(width: 100%, breakable: false, inset: (top: 2mm), stroke: (top: 1pt + line-colour))[
  *#d.signed*
  #if d.answer-to != "" [ \ #aside(d.answer-to)]
]
