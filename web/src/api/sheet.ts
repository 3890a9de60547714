import { useDebounceFn } from '@vueuse/core'
import { computed, ref, watch, type Ref } from 'vue'

import { api, ask, attempt, Refusal, type Schemas } from './client'

export type Row = Schemas['RowInfo']
export type SheetInfo = Schemas['SheetInfo']
/** Changes to rows; `what` is what can be undone. */
export type Edits = Partial<Omit<Schemas['RowEdits'], 'what'>> & { what: string }

/** A sheet: what of it is looked at, and what is done with it. */
export function useSheet(id: Ref<number>) {
  const sheet = ref<SheetInfo>()
  const source = ref<Schemas['Source']>()
  const sources = ref<Schemas['Source'][]>([])
  const total = ref(0)
  const misfits = ref<number[]>([])
  const undo = ref<string | null>()
  const redo = ref<string | null>()
  const problem = ref('')
  /** Whether it is found out what is to be looked at. */
  const reading = ref(true)
  /** Changes whenever rows must be fetched anew. */
  const version = ref(0)

  const filter = ref('')
  const find = ref('')
  /** Columns from 1, with a minus where the greatest comes first. */
  const sort = ref<number[]>([])
  /** Only rows with a misfit: in a column from 1, or in any for 0. */
  const only = ref<number>()
  const look = computed(() => ({
    filter: filter.value,
    find: find.value,
    sort: sort.value.join(','),
    misfits: only.value,
  }))
  const params = () => ({ path: { id: id.value } })

  async function page(from: number, count: number) {
    const query = { ...look.value, from, count }
    return await ask(api.GET('/api/sheets/{id}/rows', { params: { ...params(), query } }))
  }
  const rows = async (from: number, count: number) => (await page(from, count)).rows

  async function reload() {
    reading.value = true
    try {
      const first = await page(0, 1)
      total.value = first.total
      misfits.value = first.misfits
      undo.value = first.undo
      redo.value = first.redo
      problem.value = ''
      version.value++
    } catch (error) {
      problem.value = error instanceof Refusal ? error.message : String(error)
    } finally {
      reading.value = false
    }
  }

  async function load() {
    sheet.value = await ask(api.GET('/api/sheets/{id}', { params: params() }))
    sources.value = await ask(api.GET('/api/sources'))
    source.value = sources.value.find((s) => s.id === sheet.value?.source_id)
    await reload()
  }

  watch(
    id,
    () => {
      filter.value = find.value = ''
      sort.value = []
      only.value = undefined
      total.value = 0
      void attempt(load)
    },
    { flush: 'sync' },
  )
  watch(look, useDebounceFn(reload, 200))

  /** Shows only rows with a misfit, in a column from 1 or in any for 0; or all. */
  function show(misfits: number | undefined) {
    only.value = misfits
  }

  /** Sorts by a column, then downwards, then no more; beside others, or alone. */
  function sortBy(column: number, beside: boolean) {
    const key = column + 1
    const now = sort.value.find((s) => Math.abs(s) === key)
    const others = beside ? sort.value.filter((s) => Math.abs(s) !== key) : []
    sort.value = now === undefined ? [...others, key] : now > 0 ? [...others, -key] : others
  }

  /** Does something with the sheet and shows it as it is then. */
  async function change(work: () => Promise<SheetInfo>): Promise<boolean> {
    const changed = await attempt(work)
    if (changed) sheet.value = changed
    await reload()
    return !!changed
  }

  async function edit(edits: Edits) {
    const body = { cells: [], added: [], removed: [], moved: null, ...edits }
    const done = await attempt(() => ask(api.POST('/api/sheets/{id}/rows', { params: params(), body })))
    // Types of computed columns and counts may be others now.
    if (done) await attempt(load)
    else await reload()
  }

  async function step(again: boolean) {
    const path = again ? '/api/sheets/{id}/redo' : '/api/sheets/{id}/undo'
    const done = await attempt(() => ask(api.POST(path, { params: params() })))
    if (done?.what) ElMessage({ message: `${again ? 'Redone' : 'Undone'}: ${done.what}` })
    await attempt(load)
  }

  const addColumn = (body: Schemas['NewColumn']) =>
    change(() => ask(api.POST('/api/sheets/{id}/columns', { params: params(), body })))
  const setColumn = (index: number, body: Schemas['NewColumn']) =>
    change(() =>
      ask(api.PUT('/api/sheets/{id}/columns/{index}', { params: { path: { id: id.value, index } }, body })),
    )
  const dropColumn = (index: number) =>
    change(() =>
      ask(api.DELETE('/api/sheets/{id}/columns/{index}', { params: { path: { id: id.value, index } } })),
    )
  /** Says once how the sheet writes its dates. */
  const dates = (month_first: boolean) =>
    change(() => ask(api.PUT('/api/sheets/{id}/date-order', { params: params(), body: { month_first } })))

  /** Takes the names of the columns from a row. */
  const header = (row: number) =>
    change(() => ask(api.POST('/api/sheets/{id}/header', { params: params(), body: { row } })))
  /** Says that what was passed over above the names is rightly so. */
  const acceptHeader = () => change(() => ask(api.DELETE('/api/sheets/{id}/header', { params: params() })))

  /** Where the rows that are looked at can be had as a file. */
  const exported = (format: string) => {
    const query = new URLSearchParams({
      format,
      filter: filter.value,
      find: find.value,
      sort: look.value.sort,
    })
    if (only.value !== undefined) query.set('misfits', String(only.value))
    return `/api/sheets/${id.value}/export?${query}`
  }

  return {
    sheet,
    source,
    sources,
    total,
    misfits,
    undo,
    redo,
    problem,
    reading,
    version,
    filter,
    find,
    sort,
    only,
    rows,
    load,
    show,
    sortBy,
    edit,
    step,
    addColumn,
    setColumn,
    dropColumn,
    dates,
    header,
    acceptHeader,
    exported,
  }
}

export type Sheet = ReturnType<typeof useSheet>
