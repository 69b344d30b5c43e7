// What a patient reads of a medicine.
#import "house.typ": *
#let d = json("data.json")

#let sentence(words) = {
  let letters = words.clusters()
  upper(letters.first()) + letters.slice(1).join("") + if words.ends-with(".") { "" } else { "." }
}

#show: body => paper(d.head, "About your medicine", body, large: d.large)

#text(size: 1.4em, weight: 700)[#d.medicine] \
#aside[for #d.patient.name]
#v(2mm)
#block(width: 100%, inset: 3mm, stroke: 1pt + ink, radius: 2mm)[#text(size: 1.15em)[#d.instructions]]
#v(2mm)
#for part in d.parts {
  block(width: 100%, breakable: false, below: 5mm)[
    #text(size: 1.2em, weight: 700)[#part.name]
    #for (label, words) in (
      ("What it does", part.for),
      ("How to take it", part.how),
      ("What to watch", part.watch),
      ("Call us, or go at once", part.call),
    ) {
      block(above: 4mm, below: 0mm)[#aside[#label] \ #sentence(words)]
    }
  ]
}
#v(2mm)
#aside[Questions? Call #d.head.telephone. Keep medicines away from children, and never share them.]
