// One letter a page; the address stands where a window envelope shows it.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, "Letters", body)

#for (n, letter) in d.letters.enumerate() {
  if n > 0 { pagebreak() }
  set text(size: if letter.large { 16pt } else { 11pt })
  v(18mm)
  for line in letter.to { block(spacing: 0.5em, line) }
  v(16mm)
  align(right, letter.date)
  v(6mm)
  text(weight: 700, letter.subject)
  v(3mm)
  par(letter.body)
  v(12mm)
  aside(mono("Ref. " + letter.reference))
}
