// Labels for specimens: one a page of 60 by 30 mm, as label printers take them.
#import "house.typ": *
#let d = json("data.json")

#set document(title: "Labels of " + d.patient)
#set page(width: 60mm, height: 30mm, margin: (x: 2mm, y: 1.5mm))
#set text(font: "Atkinson Hyperlegible Next", size: 7.5pt, fill: black, lang: "en")
#set par(leading: 0.35em)

#for (n, label) in d.labels.enumerate() {
  if n > 0 { pagebreak() }
  box(width: 100%, height: 3.6mm, clip: true, text(size: 9.5pt, weight: 700, d.patient))
  linebreak()
  [#d.born #h(1fr) #mono(d.record)]
  linebreak()
  box(width: 100%, height: 2.8mm, clip: true, [#label.specimen #h(1fr) #label.tests])
  linebreak()
  scan(d.bars, module: 0.25mm, height: 8mm)
  linebreak()
  [#mono(d.reference) #h(1fr) #d.day]
}
