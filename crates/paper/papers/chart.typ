// The chart of a person: what holds now, the last results, the last visits.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, "Chart of " + d.patient.name, body, large: d.large)

#let fact(label, words) = if words != "" {
  block(width: 100%, above: 0mm, below: 0mm, inset: (y: 1.6mm), stroke: (top: 0.5pt + line-colour))[
    #grid(columns: (34mm, 1fr), gutter: 3mm, text(size: 0.85em, fill: quiet)[#label], [#words])
  ]
}

#text(size: 1.4em, weight: 700)[#d.patient.name]
#linebreak()
#aside(d.patient.line)
#if d.alert != "" [
  #v(2mm)
  #block(width: 100%, inset: 3mm, stroke: 1pt + ink)[*#d.alert*]
]
#v(3mm)
#for l in d.lists { fact(l.label, l.words) }
#fact("Measured last", d.measured)
#if d.results.len() > 0 [
  #v(4mm)
  *Results*
  #v(1mm)
  #for r in d.results { fact(r.label, r.body) }
]
#if d.visits.len() > 0 [
  #v(4mm)
  *Visits*
  #v(1mm)
  #for v in d.visits { fact(v.label, v.body) }
]
