/** Cells as text that spreadsheets take: parted by tabs, in quotes where they hold lines. */
export function joined(rows: string[][]): string {
  const quoted = (value: string) => (/[\t\n"]/.test(value) ? `"${value.replaceAll('"', '""')}"` : value)
  return rows.map((row) => row.map(quoted).join('\t')).join('\n')
}

/** The cells of such a text. */
export function parted(text: string): string[][] {
  const rows: string[][] = [[]]
  let cell = ''
  let inQuotes = false
  const clean = text.replace(/\r\n?/g, '\n').replace(/\n$/, '')
  for (let index = 0; index < clean.length; index++) {
    const sign = clean[index] as string
    if (inQuotes) {
      if (sign !== '"') cell += sign
      else if (clean[index + 1] === '"') cell += clean[++index]
      else inQuotes = false
    } else if (sign === '"' && cell === '') inQuotes = true
    else if (sign === '\t' || sign === '\n') {
      rows[rows.length - 1]?.push(cell)
      cell = ''
      if (sign === '\n') rows.push([])
    } else cell += sign
  }
  rows[rows.length - 1]?.push(cell)
  return rows
}
