// A person's appointments, to take home.
#import "house.typ": *
#let d = json("data.json")

#show: body => paper(d.head, "Appointments", body, large: d.large)

#text(size: 1.4em, weight: 700)[Appointments of #d.name]
#v(4mm)
#if d.visits.len() == 0 [No appointment is booked. Call #d.head.telephone for one.]
#for v in d.visits {
  block(breakable: false, width: 100%, inset: (y: 3mm), stroke: (top: 0.5pt + line-colour))[
    #text(size: 1.25em, weight: 600)[#v.day at #v.time]
    #linebreak()
    #v.type with #v.clinician, #v.site
  ]
}
#v(6mm)
#aside[Cannot come? Call #d.head.telephone at least a day before, so that somebody else can have the time.]
