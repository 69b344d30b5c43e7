// A note: who, when, what stood in the chart, what was written, and who signed it.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, "Note of " + d.patient.name, body, large: d.large)

#let part(it) = block(width: 100%, below: 2.5mm)[
  #text(size: 0.85em, fill: quiet)[#it.label] \
  #it.body
  #if it.at("signed", default: "") != "" [ \ #text(size: 0.8em, fill: quiet)[#it.signed]]
]
#let fact(label, words) = if words != "" {
  grid(columns: (28mm, 1fr), gutter: 3mm, text(size: 0.85em, fill: quiet)[#label], text(size: 0.92em)[#words])
}

#text(size: 1.4em, weight: 700)[#d.patient.name]
#linebreak()
#aside(d.patient.line)
#v(1mm)
#d.visit
#linebreak()
#aside(d.heading)
#if d.struck != "" [
  #v(2mm)
  #block(width: 100%, inset: 3mm, stroke: 1pt + ink)[*#d.struck*]
]
#v(3mm)
#block(width: 100%, inset: (y: 2.5mm), stroke: (y: 0.5pt + line-colour))[
  #for l in d.lists { fact(l.label, l.words) }
  #fact("Measured", d.measured)
  #fact("Asked", d.asked)
]
#v(2mm)
#let text-of(body) = if d.struck != "" { strike(body) } else { body }
#for p in d.before { part((label: p.label, body: text-of(p.body), signed: p.signed)) }
#for (n, run) in d.runs.enumerate() {
  block(width: 100%, above: 4mm, below: 2mm, stroke: (top: 0.5pt + line-colour), inset: (top: 2mm))[
    *#(n + 1)  #run.title*  #mono(run.code)
  ]
  for p in run.parts { part((label: p.label, body: text-of(p.body), signed: p.signed)) }
  if run.ordered != "" { part((label: "Ordered", body: run.ordered)) }
  for p in run.prescribed { part((label: "Prescribed", body: p)) }
}
#for p in d.after { part((label: p.label, body: text-of(p.body), signed: p.signed)) }
#v(3mm)
#block(width: 100%, breakable: false, inset: (top: 2mm), stroke: (top: 1pt + line-colour))[
  *#d.signed*
  #if d.cosigned != "" [ \ *#d.cosigned*]
  #if d.digest != "" [ \ #text(size: 0.7em, fill: quiet)[SHA-256 #mono(d.digest)]]
]
#if d.addenda.len() > 0 [
  #v(2mm)
  *Addenda*
  #for a in d.addenda { part(a) }
]
