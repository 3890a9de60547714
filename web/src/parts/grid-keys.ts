/** What the keys of a grid do. */
interface Acts {
  /** Whether a cell is being written: the keys are its own then. */
  typing: () => boolean
  /** Goes so many cells further, or stretches what is chosen. */
  move: (rows: number, columns: number, stretch: boolean) => void
  /** Moves the chosen rows. */
  shift: (by: 1 | -1) => void
  /** Begins to write the cell, with a first letter. */
  begin: (letter?: string) => void
  clear: () => void
  fill: () => void
  /** Chooses everything. */
  all: () => void
  /** Chooses the cell at hand alone. */
  one: () => void
  undo: () => void
  redo: () => void
}

/** The keyboard of a grid: arrows and pages, with Ctrl to the edge and Shift to stretch; Alt moves rows. */
export function gridKeys(acts: Acts) {
  return (event: KeyboardEvent) => {
    if (acts.typing()) return
    const held = event.ctrlKey || event.metaKey
    const step = (rows: number, columns: number) => acts.move(rows, columns, event.shiftKey)
    const moves: Record<string, () => void> = {
      ArrowDown: () => (event.altKey ? acts.shift(1) : step(held ? 1e9 : 1, 0)),
      ArrowUp: () => (event.altKey ? acts.shift(-1) : step(held ? -1e9 : -1, 0)),
      ArrowLeft: () => step(0, held ? -1e6 : -1),
      ArrowRight: () => step(0, held ? 1e6 : 1),
      PageDown: () => step(20, 0),
      PageUp: () => step(-20, 0),
      Home: () => step(held ? -1e9 : 0, -1e6),
      End: () => step(held ? 1e9 : 0, 1e6),
      Enter: () => acts.begin(),
      F2: () => acts.begin(),
      Delete: acts.clear,
      Backspace: acts.clear,
      Escape: acts.one,
    }
    const own = moves[event.key]
    if (own) own()
    else if (held && event.key === 'd') acts.fill()
    else if (held && event.key === 'a') acts.all()
    else if (held && (event.key === 'y' || event.key === 'Z')) acts.redo()
    else if (held && event.key === 'z') acts.undo()
    else if (event.key.length === 1 && !held && !event.altKey) acts.begin(event.key)
    else return
    event.preventDefault()
    event.stopPropagation()
  }
}
