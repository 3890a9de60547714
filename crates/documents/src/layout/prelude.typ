// What every document's markup builds on. Lengths come in already worked out.

// Fonts for signs that a document's own fonts lack.
#let others = (
  "Noto Sans Arabic", "Noto Sans Hebrew", "DejaVu Sans", "Noto Sans", "Noto Sans Devanagari", "Noto Sans Thai",
  "Droid Sans Fallback", "Symbola",
)

// What holds for all text; `separator` is the height of the line above footnotes,
// `gap` the space between these.
#let office(separator, gap, body) = {
  set text(hyphenate: false, kerning: false, ligatures: false, overhang: false)
  set par(leading: 0pt, spacing: 0pt, linebreaks: "simple")
  set block(spacing: 0pt)
  show heading: it => it.body
  set footnote.entry(
    // The gap stands above the first one, too: it is a part of the line's height.
    separator: block(height: calc.max(separator - gap, 0pt), width: 100%, place(line(start: (0pt, separator / 2), length: 144pt, stroke: 0.5pt))),
    clearance: 0pt, gap: gap, indent: 0pt,
  )
  show footnote.entry: it => {
    set par(leading: 0pt, spacing: 0pt)
    it.note.body
  }
  body
}

// The lines of a paragraph; `look` is what holds for all of its text.
#let q(body, al: left, just: false, first: 0pt, hang: 0pt, look: none, unnumbered: false) = {
  set text(..look) if look != none
  set par.line(numbering: none) if unnumbered
  let lines = par(justify: just, first-line-indent: (amount: first, all: true), hanging-indent: hang, body)
  if al == left and look == none { lines } else { align(al, lines) }
}

// A paragraph with what only a block has: indents, what keeps it together.
#let p(
  above, body, al: left, just: false, l: 0pt, r: 0pt, first: 0pt, hang: 0pt,
  sticky: false, whole: false, head: none, look: none, unnumbered: false,
) = block(above: above, below: 0pt, width: 100%, inset: (left: l, right: r), sticky: sticky, breakable: not whole, {
  let lines = q(body, al: al, just: just, first: first, hang: hang, look: look, unnumbered: unnumbered)
  if head == none { lines } else { heading(level: head, lines) }
})

// A line without signs still takes its height, all of it on one page.
#let empty(above, height, sticky) = block(above: above, below: 0pt, width: 100%, height: height, sticky: sticky, breakable: false)

// Paragraphs within the same lines; `halves` is how far the lines above and below
// reach out, `space` is top, right, bottom, left from their middle to the text.
#let framed(above, halves, l, r, fill, stroke, space, sticky, body) = {
  let (top, right, bottom, left) = space
  block(
    above: above, below: 0pt, width: 100%, inset: (top: halves.at(0), bottom: halves.at(1), left: l, right: r), sticky: sticky,
    block(width: 100%, fill: fill, stroke: stroke, inset: (top: top, bottom: bottom), outset: (left: left, right: right), body),
  )
}

// The line between two paragraphs of one frame.
#let between(height, stroke, left, right) = pad(left: -left, right: -right, block(width: 100%, height: height, stroke: (bottom: stroke)))

// Segments parted by tabs, each with what stands before its decimal sign; each
// stop is (position, kind, leader).
#let tabs(look, start, stops, step, segments) = context {
  let x = start
  for (index, (segment, before)) in segments.enumerate() {
    let width = measure(segment).width
    if index > 0 {
      let stop = stops.find(s => s.at(0) > x + 0.1pt)
      if stop == none { stop = ((calc.floor(x / step + 0.01) + 1) * step, "left", none) }
      let (at, kind, leader) = stop
      let back = if kind == "right" { width } else if kind == "center" { width / 2 } else if kind == "decimal" {
        if before == none { 0pt } else { measure(before).width }
      } else { 0pt }
      // A hair less, or a line that is just full has no room for its last segment.
      let target = calc.max(at - back - 0.005pt, x)
      if leader == none { h(target - x) } else {
        let one = measure(look(leader)).width
        // Some room before them, or they are part of the word there.
        let count = if one > 0.1pt { calc.clamp(calc.floor((target - x) / one - 0.6), 0, 2000) } else { 0 }
        box(width: target - x, align(right, look(leader * count)))
      }
      x = target
    }
    segment
    x = x + width
  }
}

#let proof = place(center + horizon, rotate(-38deg, text(font: "Liberation Sans", size: 132pt, weight: 700, fill: rgb(168, 64, 44, 60), tracking: 6pt, top-edge: "cap-height", bottom-edge: "baseline", style: "normal", kerning: false, "PROOF")))

// A place that a signer fills in: nothing is seen of it in print; it is found again by its number, with
// the font of the text there (family, size, colour, bold, italic).
#let signer(number, width, height, font) = box(width: width, height: height, place(top + left, [#metadata((number, width / 1pt, height / 1pt, font))<signer>]))

// The number of the page on which a place is; nothing where there is no such place.
#let page-of(place) = {
  let found = query(place)
  if found.len() > 0 {
    let at = found.first().location()
    let format = at.page-numbering()
    numbering(if format == none { "1" } else { format }, ..counter(page).at(at))
  }
}

// A link to a place; what it shows stays where there is no such place.
#let to-place(place, body) = context {
  let found = query(place)
  if found.len() == 0 { body } else { link(found.first().location(), body) }
}

// A margin that a header or footer may push away.
#let outgrow(margin, distance, room, ..edges) = calc.max(
  margin, ..edges.pos().map(edge => distance + measure(block(width: room, edge)).height),
)

// Lines down the whole of a content, so far from its left edge.
#let barred(above, bars, sticky, body) = block(above: above, below: 0pt, width: 100%, sticky: sticky, bars.fold(
  body,
  (inner, at) => block(width: 100%, above: 0pt, below: 0pt, stroke: (left: 0.5pt), outset: (left: -at), inner),
))

// Text in columns between text that goes across the page; balanced where more
// follows, with lines between the columns where wanted.
#let across(count, gutter, balanced, lines, body) = {
  let parted(height) = {
    let text = block(width: 100%, height: height, columns(count, gutter: gutter, body))
    if lines { barred(0pt, range(1, count).map(n => (100% + gutter) * (n / count) - gutter / 2), false, text) } else { text }
  }
  if balanced {
    layout(size => {
      let width = (size.width - gutter * (count - 1)) / count
      let whole = measure(block(width: width, body)).height
      parted(whole / count + 14pt)
    })
  } else { parted(auto) }
}

// The numbers of lines: every so many, from a first one on; counted behind the last line
// that is marked as `before`, and marked as `own`. They are lower than a line, or the next
// one would have none.
#let line-numbers(every, from, before: none, own: none) = {
  let shown(n) = if calc.rem(n, every) == 0 { text(top-edge: "cap-height", bottom-edge: "baseline", str(n)) }
  n => {
    if own != none { [#metadata(n)#own] }
    if before == none { shown(n + from - 1) } else {
      context {
        let last = query(before)
        shown(n + from - 1 - if last.len() > 0 { last.last().value } else { 0 })
      }
    }
  }
}

#let endnotes(body) = {
  block(above: 12pt, below: 0pt, line(length: 144pt, stroke: 0.5pt))
  body
}

// Underlines of other kinds than one plain line.
#let under(kind, width, paint, body) = {
  let line(dash) = if paint == auto { (thickness: width, dash: dash) } else { (thickness: width, dash: dash, paint: paint) }
  if kind == "double" {
    underline(stroke: line("solid"), evade: false, offset: 0.08em, underline(stroke: line("solid"), evade: false, offset: 0.2em, body))
  } else {
    underline(stroke: line(if kind == "wave" { "densely-dotted" } else { kind }), evade: false, body)
  }
}

// Words as large as their frame.
#let large-words(words, font, paint, width, height) = context {
  let own = text(font: font, size: 100pt, weight: 400, style: "normal", tracking: 0pt, fill: paint, top-edge: "cap-height", bottom-edge: "baseline", words)
  let size = measure(own)
  if size.width > 0pt and size.height > 0pt {
    scale(x: width / size.width * 100%, y: height / size.height * 100%, reflow: true, own)
  }
}

// A frame in place of what can't be drawn.
#let instead(label, width, height) = block(
  width: width, height: height, stroke: (thickness: 0.5pt, paint: luma(55%), dash: "dashed"), clip: true,
  align(center + horizon, text(font: "Liberation Sans", size: 8pt, weight: 400, style: "normal", tracking: 0pt, top-edge: "cap-height", bottom-edge: "baseline", fill: luma(40%), label)),
)

// The least height of a row: a strut beside the content.
#let least(height, across, down, body) = grid(columns: (0pt, 1fr), align: across + down, block(height: height), body)

// A cell whose lines run up or down.
#let turned-cell(angle, side, length, body) = align(side, rotate(angle, reflow: true, box(width: if length == none { 72pt } else { length }, body)))

// Paragraphs that may be parted come as their words: each as it ends a line, and as it
// stands before another.
#let joined(q, from, to) = q.words.slice(from, to - 1).map(array.last).join() + q.words.at(to - 1).first()

// Some of a paragraph's words as lines.
#let piece(q, from, to, above) = {
  let words = joined(q, from, to)
  // The last line of a part is no last line.
  if to < q.words.len() and q.more.named().at("just", default: false) { words += linebreak(justify: true) }
  if from == 0 { p(above, words, ..q.more) } else {
    let hang = q.more.named().at("hang", default: 0pt)
    p(above, words, ..q.more, head: none, first: 0pt, hang: 0pt, l: q.more.named().at("l", default: 0pt) + hang)
  }
}

// How high content is in a room of a width.
#let tall(width, body) = measure(block(width: width, body)).height

// The most words of a paragraph, from one on, that are no higher than that.
#let fit(q, from, width, high) = {
  let (low, most) = (from, q.words.len())
  if tall(width, piece(q, from, most, 0pt)) <= high { return most }
  most -= 1
  while low < most {
    let middle = calc.ceil((low + most) / 2)
    if tall(width, piece(q, from, middle, 0pt)) <= high { low = middle } else { most = middle - 1 }
  }
  low
}

// What stands in a box of its own height: whole lines, as many as fit.
#let cut(body, paragraphs) = layout(size => {
  if measure(block(width: size.width, body)).height <= size.height + 0.1pt { body } else {
    let y = 0pt
    for q in paragraphs {
      let to = fit(q, 0, size.width, size.height - y - q.above + 0.1pt)
      if to > 0 {
        piece(q, 0, to, q.above)
        y += q.above + measure(block(width: size.width, piece(q, 0, to, 0pt))).height
      }
      if to < q.words.len() { break }
    }
  }
})

// Paragraphs beside a drawing. `takes` is the width that the drawing needs with
// its distance, `tall` its height, `over` and `below` its distance from what is above
// and below, `x` its left edge, `down()` its top edge below that of the text.
#let beside(above, side, takes, tall, over, below, x, down, drawing, paragraphs) = layout(size => {
  let narrow = size.width - takes
  v(above)
  let start = 0
  let down = down()
  let reach = down + below + if tall == auto { measure(drawing).height } else { tall }
  let head = paragraphs.first()
  if down - over >= head.line {
    start = fit(head, 0, size.width, down - over + 0.1pt)
    if start > 0 {
      let lines = piece(head, 0, start, 0pt)
      let high = measure(block(width: size.width, lines)).height
      lines
      (reach, down) = (reach - high, calc.max(0pt, down - high))
    }
  }
  let (y, inside, rest) = (0pt, (), ())
  for (index, q) in paragraphs.enumerate() {
    let from = if index == 0 { start } else { 0 }
    if from > 0 and from >= q.words.len() { continue }
    let above = if from > 0 { 0pt } else { q.above }
    if rest.len() > 0 or y + above >= reach { rest.push(piece(q, from, q.words.len(), above)); continue }
    let to = fit(q, from, narrow, reach - y - above + q.line - 0.5pt)
    if to > from {
      let lines = piece(q, from, to, above)
      y += above + measure(block(width: narrow, piece(q, from, to, 0pt))).height
      inside.push(lines)
    }
    if to < q.words.len() { rest.push(piece(q, to, q.words.len(), if to > from { 0pt } else { above })) }
  }
  block(width: 100%, above: 0pt, below: 0pt, breakable: false, {
    place(top + left, dx: x, dy: down, { set par.line(numbering: none); drawing })
    pad(
      left: if side == left { takes } else { 0pt }, right: if side == right { takes } else { 0pt },
      grid(columns: (0pt, 1fr), block(height: calc.max(0pt, reach)), [#inside.join()]),
    )
  })
  rest.join()
})

// The words of a paragraph, from one on, that stand in what is free of a column: none
// of its lines alone there, nor in the next.
#let held(q, from, width, free) = {
  let most = q.words.len()
  let to = fit(q, from, width, free + 0.1pt)
  if to == most or to == from { return to }
  if from == 0 and q.more.named().at("whole", default: false) { return from }
  if q.widows {
    let high(from, to) = tall(width, piece(q, from, to, 0pt))
    let lines(from, to) = calc.round(high(from, to) / q.line)
    if lines(to, most) < 2 { to = fit(q, from, width, high(from, to) - q.line + 0.1pt) }
    if from == 0 and to > from and lines(from, to) < 2 { to = from }
  }
  to
}

// Text in columns of different widths with a gap behind each, one filled after another,
// page after page. Of the items `none` ends a column and `auto` a page; the others are
// paragraphs by their words, or whole. The first page's text begins `from()` down;
// the last page's columns are balanced where other text follows.
#let flow(widths, gaps, lines, balanced, from, items) = layout(size => {
  let is-break(item) = item == none or item == auto
  let is-whole(item) = "body" in item

  // One column from a place in the text on; `least` is taken in any case.
  let fill(start, width, room, least) = {
    let (at, word) = start
    let (y, inside) = (0pt, ())
    while at < items.len() and not is-break(items.at(at)) {
      let item = items.at(at)
      // What goes on from the column before begins at the very top.
      let goes-on = word > 0 or (inside.len() == 0 and at > 0 and not is-break(items.at(at - 1)))
      let above = if goes-on { 0pt } else { item.above }
      let (words, to) = if is-whole(item) {
        let fits = tall(width, item.body) <= room - y - above + 0.1pt
        (1, if fits { 1 } else { 0 })
      } else { (item.words.len(), held(item, word, width, room - y - above)) }
      if to == word and least and inside.len() == 0 {
        to = if is-whole(item) { 1 } else { calc.max(word + 1, fit(item, word, width, room - y - above)) }
      }
      if to == word { break }
      let body = if is-whole(item) { item.body } else { piece(item, word, to, 0pt) }
      let sticky = if is-whole(item) { item.sticky } else { item.more.named().at("sticky", default: false) }
      inside.push((body: v(above) + body, from: (at, word), above: y, sticky: sticky))
      y += above + tall(width, body)
      (at, word) = if to < words { (at, to) } else { (at + 1, 0) }
      if word > 0 { break }
    }
    // What stays with the next goes with it.
    if word == 0 and at < items.len() and not is-break(items.at(at)) {
      let kept = inside.len()
      while kept > 0 and inside.at(kept - 1).sticky { kept -= 1 }
      if kept > 0 and kept < inside.len() {
        (y, (at, word)) = (inside.at(kept).above, inside.at(kept).from)
        inside = inside.slice(0, kept)
      }
    }
    (body: inside.map(i => i.body).join(), tall: y, next: (at, word))
  }

  // The columns of one page.
  let lay(start, room, whole) = {
    let (columns, next, ended) = ((), start, false)
    for width in widths {
      if ended { break }
      let column = fill(next, width, room, whole)
      columns.push(column)
      next = column.next
      if next.at(0) < items.len() and next.at(1) == 0 and is-break(items.at(next.at(0))) {
        ended = items.at(next.at(0)) == auto
        next = (next.at(0) + 1, 0)
      }
    }
    let high = calc.max(..columns.map(c => c.tall))
    let gap = if lines { align(center, line(angle: 90deg, length: high, stroke: 0.5pt)) }
    let cells = range(widths.len()).map(at => (columns.at(at, default: (body: none)).body, gap)).flatten().slice(0, -1)
    (body: grid(columns: widths.zip(gaps).flatten().slice(0, -1), ..cells.map(c => [#c])), next: next, all: next.at(0) >= items.len(), ended: ended)
  }

  let whole(item) = if item == auto { none } else if item == none { colbreak() } else if is-whole(item) { v(item.above) + item.body } else {
    piece(item, 0, item.words.len(), item.above)
  }
  let narrow = calc.min(..widths)
  if items.any(item => not is-break(item) and is-whole(item) and tall(narrow, item.body) > size.height) {
    // What is higher than a column only columns that are alike can part.
    return across(widths.len(), gaps.first(), balanced, lines, items.map(whole).join())
  }
  // Holds the place at hand on the page where the text before ends.
  block(width: 100%, height: 0pt, above: 0pt, below: 0pt)
  let (next, room) = ((0, 0), calc.min(size.height, size.height - from()))
  while next.at(0) < items.len() {
    let page = lay(next, room, room > size.height - 1pt)
    if page.all and not page.ended {
      if balanced {
        let (low, high) = (0pt, room)
        while high - low > 0.5pt {
          let middle = (low + high) / 2
          if lay(next, middle, false).all { high = middle } else { low = middle }
        }
        page = lay(next, high, false)
      }
      page.body
    } else if room > 1pt { block(width: 100%, height: room - 0.1pt, above: 0pt, below: 0pt, breakable: false, page.body) }
    (next, room) = (page.next, size.height)
  }
})
