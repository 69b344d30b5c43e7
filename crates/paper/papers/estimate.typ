// What care will cost who pays alone, with what the law says along with it (45 CFR 149.610(c)(1)).
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, "Good-faith estimate", body, large: d.large)

#text(size: 1.4em, weight: 700)[Good-faith estimate of what your care will cost]
#v(2mm)
*#d.name*, #d.line \
#d.for, #d.day
#if d.diagnoses != "" [ \ Diagnoses: #d.diagnoses]
#v(4mm)
#table(
  columns: (1fr, auto, auto, auto, auto),
  stroke: none,
  inset: (x: 2mm, y: 1.6mm),
  align: (left, left, right, right, right),
  table.hline(stroke: 1pt + line-colour),
  table.header([*What is done*], [*Code*], [*How often*], [*Price*], [*Together*]),
  table.hline(stroke: 0.5pt + line-colour),
  ..for l in d.lines { ([#l.name], [#l.code], [#l.units], [#l.price], [#l.sum]) },
  table.hline(stroke: 1pt + line-colour),
  [*Expected charges*], [], [], [], [*#d.total*],
)
#v(2mm)
#d.who \
#d.where \
#aside[#d.numbers]
#v(4mm)
#d.apart
#v(3mm)
*What you should know*
- This is an estimate of what is reasonably expected when it is made. What is really done and charged may differ.
- More may be recommended in the course of the care that is booked apart and is not in this estimate.
- This is no contract. It does not oblige you to come, nor to have anything done here.
- If you are charged #d.disputable or more beyond this estimate, you may dispute the bill in the federal process between patients
  and providers, within #d.days calendar days of the first bill. Tell us first if you like: we can put the bill right, or agree
  on how it is paid. Using the process does not change the quality of your care. The federal Centers for Medicare & Medicaid
  Services tell how it is begun.
- Keep this paper: you may need it if you are billed more.
#v(4mm)
#aside[#d.made · Estimate #d.number]
