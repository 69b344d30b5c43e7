// What every paper of the clinic shares: page, type, head and foot.

#let ink = rgb("#1C1747")
#let quiet = rgb("#5A5574")
#let line-colour = rgb("#DDD5C5")

#let paper(head, title, body, flipped: false, large: false) = {
  set document(title: title)
  set page(
    paper: "us-letter",
    flipped: flipped,
    margin: (x: 18mm, top: 30mm, bottom: 20mm),
    header: grid(
      columns: (1fr, auto),
      text(weight: 700, size: 11pt, head.clinic),
      text(size: 9pt, fill: quiet, head.address + "  ·  " + head.telephone),
      grid.hline(stroke: 0.6pt + ink, y: 1),
      inset: (bottom: 5pt),
    ),
    footer: context text(size: 8.5pt, fill: quiet)[
      Printed #head.printed #h(1fr) Page #counter(page).display("1 of 1", both: true)
    ],
  )
  set text(font: "Atkinson Hyperlegible Next", size: if large { 16pt } else { 10.5pt }, fill: ink, lang: "en")
  set par(leading: 0.6em)
  body
}

#let mono(it) = text(font: "Atkinson Hyperlegible Mono", it)
#let aside(it) = text(fill: quiet, it)

// A scannable reference: widths in modules, bar and gap in turn.
#let scan(bars, module: 0.3mm, height: 9mm) = box(height: height, {
  for (n, width) in bars.enumerate() {
    box(width: width * module, height: height, fill: if calc.even(n) { black } else { none })
  }
})
