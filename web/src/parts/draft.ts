import { nextTick, ref, type Ref } from 'vue'

import { takesText } from '../api/edits'
import type { Edits, SheetInfo } from '../api/sheet'

/** What a cell is typed into with. */
interface Means {
  sheet: () => SheetInfo
  /** The chosen cell. */
  at: Ref<{ row: number; column: number }>
  /** The number by which a row is known. */
  number: (row: number) => number | undefined
  /** What a cell holds now. */
  text: (row: number, column: number) => string
  /** What the cells stand in. */
  box: Ref<HTMLElement | undefined>
  move: (rows: number, columns: number) => void
  change: (edits: Edits) => void
}

/** The cell that is typed into: begun, kept, called off. */
export function useDraft(means: Means) {
  /** What is being typed. */
  const draft = ref<string>()

  function begin(first?: string) {
    const { row, column } = means.at.value
    if (!takesText(means.sheet(), column)) {
      const own = means.sheet().columns[column]
      ElMessage({
        message: own?.formula
          ? `Calculated by the formula ${own.formula}`
          : own?.asked
            ? 'This value comes from the CRM. Change it there, then refresh.'
            : 'Edit this in its own sheet',
      })
      return
    }
    draft.value = first ?? means.text(row, column)
    void nextTick(() => {
      const input = means.box.value?.querySelector<HTMLInputElement>('input.draft')
      input?.focus()
      if (first === undefined) input?.select()
    })
  }

  /** Keeps what was typed, and goes on from there. */
  function commit(down = 0, right = 0) {
    const { row, column } = means.at.value
    const [number, now] = [means.number(row), draft.value]
    draft.value = undefined
    if (now !== undefined && number !== undefined && now !== means.text(row, column))
      means.change({
        what: `Enter “${now.slice(0, 40)}” in ${means.sheet().columns[column]?.name}`,
        cells: [{ row: number, column, text: now }],
      })
    if (down || right) {
      means.box.value?.focus()
      means.move(down, right)
    }
  }

  function callOff() {
    draft.value = undefined
    means.box.value?.focus()
  }

  return { draft, begin, commit, callOff }
}
