// The medicines of a person by time of day, for the door of the refrigerator and for the next doctor.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, "Medicines", body, large: d.large)

#text(size: 1.4em, weight: 700)[Medicines of #d.patient.name] \
#aside[#d.patient.line · as of #d.day]
#v(2mm)
#block(width: 100%, inset: (y: 2mm), stroke: (y: 0.5pt + line-colour))[Allergies: *#d.allergies*]
#v(2mm)
#if d.nothing != "" [#d.nothing]
#for part in d.parts {
  // A part of the day stays with its first medicine, on whichever page that is.
  block(sticky: true, above: 5mm, below: 1.5mm)[#text(size: 1.15em, weight: 700)[#part.label]]
  for item in part.items {
    block(width: 100%, breakable: false, inset: (y: 1.5mm), above: 0mm, below: 0mm, stroke: (top: 0.5pt + line-colour))[
      #grid(
        columns: (1fr, 1.4fr),
        gutter: 4mm,
        [*#item.name* #if item.why != "" [ \ #text(size: 0.85em, fill: quiet)[#item.why]]],
        [#item.how #if item.until != "" [ \ #aside(item.until)]],
      )
    ]
  }
}
#v(3mm)
#if d.unsure != "" [Not known whether taken: #d.unsure. Please tell us.]
#v(3mm)
#aside[Bring this list to every visit. Ask before you stop a medicine or take another one: #d.head.telephone.]
