// One certificate, A4 across. Everything that is said comes in as data, never as markup.
#let given = json(bytes(sys.inputs.data))
#set document(title: given.title, author: given.school)
#set page(width: 297mm, height: 210mm, margin: 0mm, fill: rgb(given.paper))
#set text(font: ("Noto Serif", "Noto Sans Arabic", "Noto Sans Hebrew", "Noto Sans Devanagari", "Noto Sans Bengali", "Noto Sans Tamil", "Noto Sans Telugu", "Noto Sans Gujarati", "Noto Sans Gurmukhi", "Noto Sans Kannada", "Noto Sans Malayalam", "Noto Sans Sinhala", "Noto Sans Thai", "Noto Sans Lao", "Noto Sans Khmer", "Noto Sans Myanmar", "Noto Sans Ethiopic", "Noto Sans Armenian", "Noto Sans Georgian"), size: 15pt, fill: rgb(given.ink), lang: "en")
#set par(leading: 0.7em)

#place(rect(width: 297mm - 24mm, height: 210mm - 24mm, stroke: 1.1pt + rgb(given.accent)), dx: 12mm, dy: 12mm)
#place(rect(width: 297mm - 30mm, height: 210mm - 30mm, stroke: 0.4pt + rgb(given.accent)), dx: 15mm, dy: 15mm)

// A long name is set smaller, until it fits on its line.
#let fitted(what, most, sizes) = context {
  let chosen = sizes.last()
  for size in sizes.rev() { if measure(text(size: size, what)).width <= most { chosen = size } }
  block(width: most, text(size: chosen, weight: "bold", what))
}

#align(center + horizon, block(width: 225mm)[
  #text(size: 12pt, tracking: 0.12em, fill: rgb(given.accent), weight: "bold", upper(given.school))
  #v(9mm)
  #text(size: 27pt, "Certificate")
  #v(6mm)
  #text(fill: rgb(given.soft), "This is to say that")
  #v(3mm)
  #fitted(given.name, 225mm, (36pt, 30pt, 25pt, 20pt, 15pt, 11pt))
  #v(2mm)
  #text(fill: rgb(given.soft), "has finished the course")
  #v(3mm)
  #fitted(given.course, 225mm, (24pt, 20pt, 16pt, 12pt))
  #v(12mm)
  #grid(columns: (1fr, 1fr), align: (left, right), gutter: 8mm,
    [#text(size: 12pt, given.issued) #linebreak() #text(size: 10pt, fill: rgb(given.soft), "Date")],
    [#text(size: 12pt, given.signed) #linebreak() #text(size: 10pt, fill: rgb(given.soft), "For the school")])
])
#place(bottom + center, dy: -19mm, text(size: 9pt, fill: rgb(given.soft), given.number))
