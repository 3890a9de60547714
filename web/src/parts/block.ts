import type { Ref } from 'vue'

import { clearing, filling, pasting, typed, type Area } from '../api/edits'
import type { Edits, Row, SheetInfo } from '../api/sheet'
import { count } from '../api/words'
import { joined, parted } from './clipboard'

/** What the chosen block of a sheet's cells is worked on with. */
interface Means {
  sheet: () => SheetInfo
  /** How many rows there are. */
  total: () => number
  fetch: (from: number, count: number) => Promise<Row[]>
  /** A row that was seen already. */
  known: (index: number) => Row | undefined
  area: Ref<Area & { top: number; bottom: number }>
  /** Whether a cell is being typed into, which then has the clipboard to itself. */
  typing: () => boolean
  change: (edits: Edits) => void
}

/** Copies, pastes, clears, fills and moves the chosen block of a sheet's cells. */
export function useBlock(means: Means) {
  /** The rows of an area, fetched where they were never seen. */
  async function rowsOf(from: number, to: number): Promise<Row[]> {
    const found: Row[] = []
    for (let index = from; index <= to;) {
      const known = means.known(index)
      if (known) {
        found.push(known)
        index++
        continue
      }
      const more = await means.fetch(index, Math.min(500, to - index + 1))
      if (!more.length) break
      found.push(...more)
      index += more.length
    }
    return found
  }

  const rows = () => rowsOf(means.area.value.top, means.area.value.bottom)
  const change = (edits: Edits) => {
    if (edits.cells?.length || edits.added?.length) means.change(edits)
  }

  async function copy(event: ClipboardEvent) {
    if (means.typing()) return
    event.preventDefault()
    const { top, bottom, left, right } = means.area.value
    const block = (own: Row[]) => joined(own.map((row) => row.cells.slice(left, right + 1).map(typed)))
    const length = bottom - top + 1
    const known = Array.from({ length }, (_, index) => means.known(top + index)).filter((row) => !!row)
    // Rows that were never seen come too late for the event.
    if (known.length === length) event.clipboardData?.setData('text/plain', block(known))
    else await navigator.clipboard.writeText(block(await rows()))
  }

  /** Takes what is on the clipboard; says how many rows and columns that is. */
  async function paste(event: ClipboardEvent) {
    if (means.typing()) return
    event.preventDefault()
    const block = parted(event.clipboardData?.getData('text/plain') ?? '')
    const { top, bottom } = means.area.value
    const until = Math.min(means.total() - 1, Math.max(bottom, top + block.length - 1))
    const own = await rowsOf(top, until)
    const below = block.length > 1 ? own.slice(0, block.length) : own
    const { edits, passed } = pasting(means.sheet(), below, means.area.value, block)
    if (passed)
      ElMessage({
        message: `${count(passed, 'cell')} not pasted: their columns can’t be edited`,
        duration: 6000,
      })
    change(edits)
    return { rows: block.length, columns: block[0]?.length ?? 1 }
  }

  /** Moves the rows one further up or down; says whether they went. */
  async function shift(by: 1 | -1) {
    const { top, bottom } = means.area.value
    if ((by < 0 && top === 0) || (by > 0 && bottom >= means.total() - 1)) return false
    const moved = (await rows()).map((row) => row.number)
    // The row that they follow then; none at the top.
    const before = by > 0 ? bottom + 1 : top - 2
    const [after] = before < 0 ? [] : await rowsOf(before, before)
    means.change({
      what: `Move ${count(moved.length, 'row')}`,
      moved: { rows: moved, after: after?.number ?? null },
    })
    return true
  }

  return {
    rows,
    copy,
    paste,
    shift,
    clear: async () => change(clearing(means.sheet(), await rows(), means.area.value)),
    fill: async () => change(filling(means.sheet(), await rows(), means.area.value)),
  }
}
