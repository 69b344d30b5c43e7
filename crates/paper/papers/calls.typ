// Whom to call, with room for a mark.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, "Call list", body)

#text(size: 15pt, weight: 700)[Call list] #h(1fr) #aside[#d.calls.len() to call]
#v(3mm)
#if d.calls.len() == 0 [Nobody is to be called.] else {
  table(
    columns: (auto, 1.2fr, auto, 2fr),
    stroke: (x, y) => (bottom: 0.4pt + line-colour),
    inset: (x: 4pt, y: 6pt),
    table.header(..("Done", "Patient", "Telephone", "What about").map(it => text(size: 9pt, fill: quiet, it))),
    ..d.calls.map(c => (
      box(width: 4mm, height: 4mm, stroke: 0.6pt + ink),
      [*#c.name* #linebreak() #aside(mono(c.born))],
      mono(c.phone),
      [#c.about #linebreak() #aside(c.why)],
    )).flatten()
  )
}
