// The lists of one or more days, for the bad day on which the screens are dark.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, "Day lists", body, flipped: true)

#if d.days.len() == 0 [Nobody is booked in what was chosen.]

#for (n, day) in d.days.enumerate() {
  if n > 0 { pagebreak() }
  text(size: 15pt, weight: 700, day.title)
  h(1fr)
  aside(day.note)
  v(3mm)
  if day.rows.len() == 0 [Nobody is booked.] else {
    table(
      columns: if d.contact { (auto, auto, 1.4fr, auto, 1.1fr, 1.4fr, 1.5fr) } else { (auto, auto, 1.5fr, auto, 1.2fr, 1.8fr) },
      stroke: (x, y) => (bottom: 0.4pt + line-colour),
      inset: (x: 4pt, y: 5pt),
      align: left + top,
      table.header(
        ..(("Time", "Call-sign", "Patient", "Born", "Type", "Reason and note") + if d.contact { ("Contact",) } else { () })
          .map(it => text(size: 9pt, fill: quiet, it))
      ),
      ..day.rows.map(row => (
        mono(row.time),
        row.sign,
        [*#row.name* #linebreak() #aside(mono(row.number))],
        mono(row.born),
        row.type,
        [#row.reason#if row.note != "" [ #linebreak() #aside(row.note)]],
        ..if d.contact { (row.contact,) } else { () },
      )).flatten()
    )
  }
}
