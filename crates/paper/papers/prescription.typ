// A prescription: everything under one signature. Amounts stand in figures and letters, so that none is changed by a stroke.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, "Prescription", body)

#let fact(label, words) = if words != "" {
  grid(columns: (28mm, 1fr), gutter: 3mm, text(size: 0.85em, fill: quiet)[#label], words)
}

#grid(
  columns: (1fr, auto),
  text(size: 1.4em, weight: 700)[Prescription],
  align(right)[#d.dated],
)
#block(width: 100%, inset: (y: 2.5mm), stroke: (y: 0.5pt + line-colour))[
  #text(size: 1.1em, weight: 700)[#d.patient.name] \
  #d.patient.line
  #if d.patient.reach != "" [ \ #aside(d.patient.reach)]
]
#v(2mm)
#for (n, item) in d.items.enumerate() {
  block(width: 100%, breakable: false, below: 5mm, inset: (left: 4mm), stroke: (left: 1.5pt + ink))[
    #if item.way != "" [*#item.way* \ ]
    #text(size: 1.15em, weight: 700)[#(n + 1). #item.medicine]
    #if item.ingredients != "" [ #aside(item.ingredients)] \
    #text(size: 1.05em)[#item.instructions]
    #v(0.5mm)
    #fact("Dispense", item.quantity)
    #fact("Refills", item.refills)
    #fact("Substitution", item.substitution)
    #fact("For", item.for)
    #fact("Payer's approval", item.approval)
    #fact("To the pharmacist", item.note)
  ]
}
#block(width: 100%, breakable: false, inset: (top: 2mm), stroke: (top: 1pt + line-colour))[
  *#d.prescriber* #if d.numbers != "" [ \ #d.numbers] \
  #d.signed
  #if d.by-hand [
    #v(12mm)
    #line(length: 70mm, stroke: 0.6pt + ink)
    #aside[Signature]
  ]
]
