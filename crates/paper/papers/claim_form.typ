// A claim for a payer that takes paper: fields by the numbers of the form, in our own words and layout.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, d.title, body)

#text(size: 1.4em, weight: 700)[#d.title]
#h(1fr) #aside[Fields by the numbers of the professional claim form]
#v(3mm)
#for page in d.pages {
  grid(
    columns: (1fr, 1fr),
    column-gutter: 8mm,
    ..d.fields.map(f => block(width: 100%, inset: (y: 1.1mm), stroke: (bottom: 0.4pt + line-colour))[
      #mono(text(weight: 700, f.number)) #h(1.5mm) #aside(text(size: 0.85em, f.label)) \
      #mono(f.value)
    ])
  )
  v(3mm)
  table(
    columns: (auto, auto, 1fr, auto, auto, auto, auto),
    stroke: (x, y) => (bottom: if y == 0 { 1pt + ink } else { 0.4pt + line-colour }),
    inset: (x: 1.5mm, y: 1.4mm),
    table.header(
      [24A \ Day], [24B \ Place], [24D \ Service], [24E \ For], table.cell(align: right)[24F \ Charge],
      table.cell(align: right)[24G \ Units], [24J \ Done by],
    ),
    ..page
      .map(l => (
        mono(l.day), mono(l.place), mono(l.service), mono(l.pointers), table.cell(align: right, mono(l.charge)),
        table.cell(align: right, mono(l.units)), mono(l.rendering),
      ))
      .flatten()
  )
  if page != d.pages.last() { pagebreak() }
}
