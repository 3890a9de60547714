import { useElementSize } from '@vueuse/core'
import { computed, ref, shallowRef, watch, type Ref } from 'vue'

/** The height of a row. */
export const ROW = 32
const PAGE = 100

interface Source<Row> {
  total: number
  /** Changes whenever the rows must be fetched anew. */
  version: unknown
  fetch: (from: number, count: number) => Promise<Row[]>
}

/** Rows of a table of any length: drawn where they are seen, fetched a page at a time. */
export function useRows<Row>(source: Source<Row>, box: Ref<HTMLElement | undefined>) {
  const { height } = useElementSize(box)
  const top = ref(0)
  const pages = shallowRef(new Map<number, Row[]>())
  /** Pages that are fetched or on their way. */
  const wanted = new Set<number>()

  const first = computed(() => Math.max(0, Math.floor(top.value / ROW) - 4))
  const last = computed(() =>
    Math.min(source.total, Math.ceil((top.value + Math.max(height.value, 200)) / ROW) + 4),
  )
  const row = (index: number) => pages.value.get(Math.floor(index / PAGE))?.[index % PAGE]
  const shown = computed(() => {
    const rows: { index: number; row: Row | undefined }[] = []
    for (let index = first.value; index < last.value; index++) rows.push({ index, row: row(index) })
    return rows
  })

  async function load(page: number, version: unknown) {
    const rows = await source.fetch(page * PAGE, PAGE)
    if (version !== source.version) return
    pages.value = new Map(pages.value).set(page, rows)
  }

  watch(
    () => [first.value, last.value, source.version, source.total] as const,
    async ([from, to, version], before) => {
      if (before && before[2] !== version) wanted.clear()
      for (let page = Math.floor(from / PAGE); page <= Math.floor(Math.max(from, to - 1) / PAGE); page++) {
        if (wanted.has(page) || !source.total) continue
        wanted.add(page)
        load(page, version).catch(() => wanted.delete(page))
      }
    },
    { immediate: true },
  )

  /** Brings a row into view. */
  function reveal(index: number) {
    const y = index * ROW
    const view = box.value
    if (!view) return
    if (y < view.scrollTop) view.scrollTop = y
    else if (y + ROW * 3 > view.scrollTop + view.clientHeight)
      view.scrollTop = y + ROW * 3 - view.clientHeight
  }

  return { top, first, last, shown, row, reveal }
}
