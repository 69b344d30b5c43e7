// A form as it was signed.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, d.name, body, large: d.large)

#text(size: 1.4em, weight: 700)[#d.name]
#v(2mm)
#aside[#d.patient, born #d.born, #d.number]
#v(4mm)
#for p in d.body {
  par(p)
}
#v(8mm)
#block(breakable: false)[
  #if d.strokes.len() > 0 {
    box(width: 80mm, height: 24mm, stroke: (bottom: 0.6pt + ink))[
      #for s in d.strokes {
        for n in range(1, s.len()) {
          place(line(
            start: (s.at(n - 1).at(0) / 600 * 80mm, s.at(n - 1).at(1) / 180 * 24mm),
            end: (s.at(n).at(0) / 600 * 80mm, s.at(n).at(1) / 180 * 24mm),
            stroke: 1pt + ink,
          ))
        }
      }
    ]
  } else {
    box(width: 80mm, stroke: (bottom: 0.6pt + ink), inset: (bottom: 2mm))[#text(size: 1.3em)[#d.signer]]
  }
  #linebreak()
  #d.signer, #d.at
  #if d.strokes.len() == 0 [ (typed in place of a signature)]
]
