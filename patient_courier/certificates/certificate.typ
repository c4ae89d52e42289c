// One certificate. Everything that is said comes in as data, never as markup; pictures lie beside this file.
#let given = json(bytes(sys.inputs.data))
#let size = if given.paper == "letter" { (279.4mm, 215.9mm) } else { (297mm, 210mm) }
#let (wide, high) = if given.upright { (size.at(1), size.at(0)) } else { size }
#let accent = rgb(given.accent)
#let soft = rgb(given.soft)
#set document(title: given.title, author: given.school)
#set page(width: wide, height: high, margin: 0mm, fill: rgb(given.paper_colour))
#set text(font: ("Noto Serif", "Noto Sans Arabic", "Noto Sans Hebrew", "Noto Sans Devanagari", "Noto Sans Bengali", "Noto Sans Tamil", "Noto Sans Telugu", "Noto Sans Gujarati", "Noto Sans Gurmukhi", "Noto Sans Kannada", "Noto Sans Malayalam", "Noto Sans Sinhala", "Noto Sans Thai", "Noto Sans Lao", "Noto Sans Khmer", "Noto Sans Myanmar", "Noto Sans Ethiopic", "Noto Sans Armenian", "Noto Sans Georgian"), size: 15pt, fill: rgb(given.ink), lang: "en")
#set par(leading: 0.7em)

#let frame(at, stroke) = place(rect(width: wide - 2 * at, height: high - 2 * at, stroke: stroke), dx: at, dy: at)
#if given.design == "frame" {
  frame(12mm, 1.1pt + accent)
  frame(15mm, 0.4pt + accent)
} else if given.design == "band" {
  place(rect(width: wide, height: 16mm, fill: accent))
  place(bottom, rect(width: wide, height: 6mm, fill: accent))
} else if given.design == "corners" {
  for (x, y, dx, dy) in ((12mm, 12mm, 1, 1), (wide - 12mm, 12mm, -1, 1), (12mm, high - 12mm, 1, -1), (wide - 12mm, high - 12mm, -1, -1)) {
    place(line(start: (x, y), end: (x + dx * 34mm, y), stroke: 1.6pt + accent))
    place(line(start: (x, y), end: (x, y + dy * 34mm), stroke: 1.6pt + accent))
  }
}

#let room = wide - 72mm
// A long name is set smaller, until it fits on its line.
#let fitted(what, sizes) = context {
  let chosen = sizes.last()
  for size in sizes.rev() { if measure(text(size: size, weight: "bold", what)).width <= room { chosen = size } }
  block(width: room, text(size: chosen, weight: "bold", what))
}

#align(center + horizon, block(width: room)[
  #if given.logo { image("logo", height: 18mm); v(3mm) }
  #text(size: 12pt, tracking: 0.12em, fill: accent, weight: "bold", upper(given.school))
  #v(8mm)
  #text(size: 27pt, given.heading)
  #v(5mm)
  #text(fill: soft, given.before)
  #v(3mm)
  #fitted(given.name, (36pt, 30pt, 25pt, 20pt, 15pt, 11pt))
  #v(2mm)
  #text(fill: soft, given.wording)
  #v(3mm)
  #fitted(given.course, (24pt, 20pt, 16pt, 12pt))
  #if given.hours != "" { v(3mm); text(size: 12pt, fill: soft, given.hours) }
  #v(11mm)
  #grid(columns: (1fr, 1fr), align: (left + bottom, right + bottom), gutter: 8mm,
    [#text(size: 12pt, given.issued) #linebreak() #text(size: 10pt, fill: soft, "Date")],
    [#if given.signature { image("signature", height: 14mm) } #text(size: 12pt, given.signed) #linebreak() #text(size: 10pt, fill: soft, "For the school")])
])
#place(bottom + center, dy: if given.design == "band" { -9mm } else { -19mm }, text(size: 9pt, fill: soft, given.number))
