import type { Edits, Row, SheetInfo } from './sheet'
import { count } from './words'

/** What a cell is when it is typed. */
export const typed = (cell: Row['cells'][number] | undefined) => cell?.typed ?? cell?.text ?? ''

/** Whether something can be typed into a column. */
export function takesText(sheet: SheetInfo, column: number): boolean {
  const own = sheet.columns[column]
  return !!own && !own.formula && !own.asked && own.type !== 'record' && (own.type !== 'list' || !!own.items)
}

export interface Area {
  left: number
  right: number
}

const columns = (sheet: SheetInfo, { left, right }: Area) =>
  Array.from({ length: right - left + 1 }, (_, index) => left + index).filter((at) => takesText(sheet, at))

/** Empties the cells of rows. */
export function clearing(sheet: SheetInfo, rows: Row[], area: Area): Edits {
  const cells = rows.flatMap((row) =>
    columns(sheet, area)
      .filter((column) => row.cells[column]?.text)
      .map((column) => ({ row: row.number, column, text: '' })),
  )
  return { what: `Clear ${count(cells.length, 'cell')}`, cells }
}

/** Fills rows with what the first of them holds. */
export function filling(sheet: SheetInfo, [head, ...below]: Row[], area: Area): Edits {
  const cells = below.flatMap((row) =>
    columns(sheet, area).map((column) => ({ row: row.number, column, text: typed(head?.cells[column]) })),
  )
  return { what: `Fill ${count(cells.length, 'cell')} down`, cells }
}

/**
 * Puts a block of cells over rows, from a column on; lines beyond them become new
 * rows. One cell alone fills the whole area. Tells how many had to be passed over.
 */
export function pasting(sheet: SheetInfo, rows: Row[], area: Area, block: string[][]) {
  const one = block.length === 1 && block[0]?.length === 1 && rows.length > 0
  const lines = one ? rows.map(() => columnsOf(area).map(() => block[0]?.[0] ?? '')) : block
  const edits = { cells: [] as NonNullable<Edits['cells']>, added: [] as NonNullable<Edits['added']> }
  let passed = 0
  lines.forEach((line, index) => {
    const row = rows[index]
    const values = new Array<string>(sheet.columns.length).fill('')
    line.forEach((text, offset) => {
      const column = area.left + offset
      if (!takesText(sheet, column)) passed++
      else if (row) edits.cells.push({ row: row.number, column, text })
      else values[column] = text
    })
    if (!row) edits.added.push({ after: null, cells: values })
  })
  const pasted = lines.reduce((sum, line) => sum + line.length, 0) - passed
  return { edits: { what: `Paste ${count(pasted, 'cell')}`, ...edits } satisfies Edits, passed }
}

const columnsOf = ({ left, right }: Area) => Array.from({ length: right - left + 1 })
