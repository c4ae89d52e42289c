// One certificate. Everything that is said comes in as data, never as markup; pictures lie beside this file.
#let given = json(bytes(sys.inputs.data))
#let size = if given.paper == "letter" { (279.4mm, 215.9mm) } else { (297mm, 210mm) }
#let (wide, high) = if given.upright { (size.at(1), size.at(0)) } else { size }
#let accent = rgb(given.accent)
#let soft = rgb(given.soft)
#set document(title: given.title, author: given.school, description: given.description)
#set page(width: wide, height: high, margin: 0mm, fill: rgb(given.paper_colour))
#set text(font: given.fonts, size: 15pt, fill: rgb(given.ink), lang: given.language)
#set par(leading: 0.7em)

// What only adorns is not read out.
#let adorning(what) = pdf.artifact(what)
#let frame(at, stroke) = adorning(place(rect(width: wide - 2 * at, height: high - 2 * at, stroke: stroke), dx: at, dy: at))
#if given.design == "frame" {
  frame(12mm, 1.1pt + accent)
  frame(15mm, 0.4pt + accent)
} else if given.design == "band" {
  adorning(place(rect(width: wide, height: 16mm, fill: accent)))
  adorning(place(bottom, rect(width: wide, height: 6mm, fill: accent)))
} else if given.design == "corners" {
  for (x, y, dx, dy) in ((12mm, 12mm, 1, 1), (wide - 12mm, 12mm, -1, 1), (12mm, high - 12mm, 1, -1), (wide - 12mm, high - 12mm, -1, -1)) {
    adorning(place(line(start: (x, y), end: (x + dx * 34mm, y), stroke: 1.6pt + accent)))
    adorning(place(line(start: (x, y), end: (x, y + dy * 34mm), stroke: 1.6pt + accent)))
  }
}

#let room = wide - 72mm
// A long name is set smaller, until it fits on one line or, smaller still, on two; a word longer than a line may break anywhere.
#let fitted(what, one, two) = context {
  let bold(size, what) = text(size: size, weight: "bold", what)
  let wide(size) = measure(bold(size, what)).width
  let chosen = (..one.filter(size => wide(size) <= room), ..two.filter(size => wide(size) <= 1.8 * room), two.last()).first()
  let words = what.split(" ").map(word => if measure(bold(chosen, word)).width > room { word.clusters().join("\u{200b}") } else { word })
  block(width: room, bold(chosen, words.join(" ")))
}
#show heading: it => it.body

#let middle = block(width: room)[
  #if given.logo { image("logo", height: 18mm, alt: given.school); v(3mm) }
  #text(size: 12pt, tracking: 0.12em, fill: accent, weight: "bold", upper(given.school))
  #v(if given.upright { 14mm } else { 5mm })
  #heading(level: 1, text(size: 27pt, weight: "regular", given.heading))
  #v(4mm)
  #text(fill: soft, given.before)
  #v(2.5mm)
  #fitted(given.name, (36pt, 30pt, 25pt, 21pt), (21pt, 17pt, 14pt, 11pt, 9pt))
  #v(2mm)
  #text(fill: soft, given.wording)
  #v(2.5mm)
  #fitted(given.course, (24pt, 20pt, 17pt), (17pt, 14pt, 12pt, 10pt))
  #if given.hours != "" { v(2.5mm); text(size: 12pt, fill: soft, given.hours) }
]
#let below(what, label) = [#text(size: 12pt, what) #linebreak() #text(size: 10pt, fill: soft, label)]
#let foot = block(width: room, grid(columns: (1fr, auto, 1fr), align: (left + bottom, center + bottom, right + bottom), gutter: 6mm,
  below(given.issued, "Date"),
  [#image("check.svg", height: 24mm, alt: "Check this certificate at " + given.check) #v(-2.5mm) #text(size: 9pt, given.number) #linebreak() #text(size: 7.5pt, fill: soft, given.check_at)],
  [#if given.signature { image("signature", height: 14mm, alt: "Signature") } #below(given.signed, "For the school")]))

#let (over, under) = if given.design == "band" { (22mm, 14mm) } else { (19mm, 24mm) }
// What is too much for the page is made smaller as a whole, so that nothing ever stands on the square.
#block(width: wide, height: high, inset: (top: over, bottom: under), align(center, context {
  let free = high - over - under - measure(foot).height - 5mm
  let size = calc.min(100%, free / measure(middle).height * 100%)
  v(1fr)
  if size < 100% { scale(size, reflow: true, middle) } else { middle }
  v(if given.upright { 2fr } else { 1fr })
  foot
}))
