// What every document's markup builds on. Lengths come in already worked out.

#let p(above, al, just, l, r, first, hang, fill, stroke, sticky, body) = block(
  above: above, below: 0pt, width: 100%, inset: (left: l, right: r), fill: fill, stroke: stroke, sticky: sticky,
  align(al, par(justify: just, first-line-indent: (amount: first, all: true), hanging-indent: hang, body)),
)

// A line without signs still takes its height.
#let empty(above, height, fill, stroke) = block(above: above, below: 0pt, width: 100%, height: height, fill: fill, stroke: stroke)

// Segments parted by tabs; each stop is (position, kind).
#let tabs(start, stops, step, segments) = context {
  let x = start
  for (index, segment) in segments.enumerate() {
    let width = measure(segment).width
    if index > 0 {
      let stop = stops.find(s => s.at(0) > x + 0.1pt)
      if stop == none { stop = ((calc.floor(x / step + 0.01) + 1) * step, "left") }
      let target = if stop.at(1) == "right" { stop.at(0) - width } else if stop.at(1) == "center" { stop.at(0) - width / 2 } else { stop.at(0) }
      target = calc.max(target, x)
      h(target - x)
      x = target
    }
    segment
    x = x + width
  }
}

#let marker(width, body) = context { box(width: calc.max(width, measure(body).width), body) }

#let proof = place(center + horizon, rotate(-38deg, text(font: "Liberation Sans", size: 132pt, weight: 700, fill: rgb(168, 64, 44, 60), tracking: 6pt, "PROOF")))

// A place that a signer fills in: a line to write on, found again by its number.
#let signer(number, width, height) = box(width: width, height: height, stroke: (bottom: 0.5pt + luma(60%)), place(top + left, [#metadata(number)<signer>]))
