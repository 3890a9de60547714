import { computed, ref } from 'vue'

/** The cell at hand, and the area that it and the corner over against it hold. */
export function useArea(size: () => { rows: number; columns: number }) {
  const at = ref({ row: 0, column: 0 })
  /** The corner over against it. */
  const to = ref({ row: 0, column: 0 })

  const area = computed(() => ({
    top: Math.min(at.value.row, to.value.row),
    bottom: Math.max(at.value.row, to.value.row),
    left: Math.min(at.value.column, to.value.column),
    right: Math.max(at.value.column, to.value.column),
  }))
  const within = (row: number, column: number) =>
    row >= area.value.top &&
    row <= area.value.bottom &&
    column >= area.value.left &&
    column <= area.value.right

  /** Goes to a cell, or stretches the area to it. */
  function set(row: number, column: number, stretch = false) {
    to.value = {
      row: Math.max(0, Math.min(size().rows - 1, row)),
      column: Math.max(0, Math.min(size().columns - 1, column)),
    }
    if (!stretch) at.value = { ...to.value }
  }

  /** Goes some cells further, or stretches the area by them. */
  function go(rows: number, columns: number, stretch = false) {
    const from = stretch ? to.value : at.value
    set(from.row + rows, from.column + columns, stretch)
  }

  function all() {
    set(0, 0)
    set(size().rows - 1, size().columns - 1, true)
  }

  return { at, to, area, within, set, go, all }
}
