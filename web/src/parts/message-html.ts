/**
 * A message as it is stored (HTML with placeholders as plain text, pictures by name) and as the
 * editor shows it (placeholders as chips, pictures by their address).
 */

/** `[: name]`, `[:if a = "]"]`: a placeholder, texts in it included. */
const PLACEHOLDER = /\[:(?:[^\]"]|"[^"]*")*\]/g
const PASSAGE = /^\[:\s*(if|else|end|repeat|keep)\b/

/** Whether a placeholder begins or ends a passage, instead of printing something. */
export const isPassage = (text: string) => PASSAGE.test(text)

const parse = (html: string) => new DOMParser().parseFromString(`<body>${html}</body>`, 'text/html')
const address = (key: string) => `/api/dispatches/${encodeURIComponent(key)}/pictures/`

export function toEditor(html: string, key: string): string {
  const page = parse(html)
  const walker = page.createTreeWalker(page.body, NodeFilter.SHOW_TEXT)
  const texts: Text[] = []
  while (walker.nextNode()) texts.push(walker.currentNode as Text)
  for (const text of texts) {
    const parts = page.createDocumentFragment()
    let from = 0
    for (const found of text.data.matchAll(PLACEHOLDER)) {
      parts.append(text.data.slice(from, found.index))
      const chip = page.createElement('span')
      chip.dataset.placeholder = found[0]
      chip.textContent = found[0]
      parts.append(chip)
      from = found.index + found[0].length
    }
    if (!from) continue
    parts.append(text.data.slice(from))
    text.replaceWith(parts)
  }
  for (const picture of page.body.querySelectorAll('img')) {
    const source = picture.getAttribute('src') ?? ''
    if (source.startsWith('picture:'))
      picture.setAttribute('src', address(key) + source.slice('picture:'.length))
  }
  return page.body.innerHTML
}

export function fromEditor(html: string, key: string): string {
  const page = parse(html)
  for (const chip of page.body.querySelectorAll<HTMLElement>('span[data-placeholder]'))
    chip.replaceWith(chip.dataset.placeholder ?? '')
  for (const picture of page.body.querySelectorAll('img')) {
    const source = picture.getAttribute('src') ?? ''
    if (source.startsWith(address(key)))
      picture.setAttribute('src', `picture:${source.slice(address(key).length)}`)
  }
  // An empty message is stored as none.
  return page.body.textContent?.trim() || page.body.querySelector('img, table, hr') ? page.body.innerHTML : ''
}

/** A plain message as one with paragraphs. */
export function fromPlain(text: string): string {
  const box = document.createElement('div')
  const escaped = (line: string) => {
    box.textContent = line
    return box.innerHTML
  }
  const paragraphs = text.trim().split(/\n{2,}/)
  return paragraphs.map((one) => `<p>${one.split('\n').map(escaped).join('<br>')}</p>`).join('')
}
