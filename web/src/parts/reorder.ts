import { ref } from 'vue'

/** What the items of a list are bound to, so that they can be dragged into another order. */
export function useReorder(move: (from: number, to: number) => void) {
  const dragged = ref<number>()
  const over = ref<number>()
  const end = () => (dragged.value = over.value = undefined)
  const item = (at: number) => ({
    draggable: true,
    class: { over: over.value === at },
    onDragstart: () => (dragged.value = at),
    onDragover: (event: DragEvent) => {
      event.preventDefault()
      over.value = at
    },
    onDragend: end,
    onDrop: (event: DragEvent) => {
      event.stopPropagation()
      event.preventDefault()
      if (dragged.value !== undefined) move(dragged.value, at)
      end()
    },
  })
  return { item }
}
