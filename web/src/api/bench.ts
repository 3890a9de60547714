import { useEventListener } from '@vueuse/core'
import { computed, onScopeDispose, ref, watch, type Ref } from 'vue'

import { api, ask, attempt, lines, Refusal, tell, type Schemas } from './client'
import { count } from './words'

export type Bench = Schemas['Bench']
export type Cause = Schemas['CauseInfo']
export type Note = Schemas['NoteInfo']
export type Setup = Schemas['Setup']

/** How many documents a run makes. */
export const documents = (bench: Bench) =>
  bench.setup.joint ? Math.min(1, bench.records.length) : bench.records.length
/** The same in words. */
export const documentsInWords = (bench: Bench) =>
  count(documents(bench), 'document') +
  (bench.setup.joint ? ` from ${count(bench.records.length, 'record')}` : '')

/** How many of the chosen records this dispatch has served before. */
export const repeats = (bench: Bench) => bench.records.filter((r) => r.served).length

/** One dispatch on the bench: what is saved, the record at hand, the preflight. */
export function useBench(
  key: Ref<string>,
  moved: (key: string) => Promise<unknown>,
  /** Whether it is asked what the run comes to, which takes a moment. */
  summed: Ref<boolean>,
) {
  const bench = ref<Bench>()
  /** Whether what is shown is saved; `elsewhere` where another window was faster. */
  const state = ref<'saved' | 'saving' | 'unsaved' | 'elsewhere'>('saved')
  const at = ref(0)
  const page = ref<Schemas['PageView']>()
  const pageProblem = ref('')
  const causes = ref<Cause[]>()
  const wrong = ref(0)
  /** How far a preflight is that is going. */
  const checked = ref<{ checked: number; count: number }>()
  const notes = ref<Note[]>([])
  /** What the run comes to, and what the last one came to. */
  const totals = ref<Pick<Schemas['PreflightView'], 'totals' | 'last'>>()
  const params = () => ({ path: { key: key.value } })

  const record = computed(() => bench.value?.records[at.value])
  const rowsWithFindings = computed(() => new Set(causes.value?.flatMap((c) => c.records.map((r) => r.row))))

  /** Opens the dispatch at a row, or at its first record. */
  async function load(row?: number) {
    bench.value = await ask(api.GET('/api/dispatches/{key}', { params: params() }))
    state.value = 'saved'
    at.value = Math.max(
      0,
      bench.value.records.findIndex((r) => r.row === row),
    )
    await check()
  }

  /** Saves one change after the other. */
  let last: Promise<void> = Promise.resolve()
  const save = () => (last = last.then(write))

  async function write() {
    window.clearTimeout(timer)
    const now = bench.value
    if (!now || state.value === 'elsewhere') return
    state.value = 'saving'
    const mine = edits
    const { name, template_id, sheet_id, setup, revision } = now
    const body = { name, template_id, sheet_id, setup, revision }
    let changed: Bench
    try {
      changed = await ask(api.PUT('/api/dispatches/{key}', { params: params(), body }))
    } catch (error) {
      state.value = 'unsaved'
      if (error instanceof Refusal && error.code === 'changed-elsewhere') state.value = 'elsewhere'
      // Without a connection it is tried again until there is one.
      else if (error instanceof Refusal && error.code === 'unreachable')
        timer = window.setTimeout(() => void save(), 3000)
      else tell(error)
      return
    }
    // What was typed meanwhile is not saved yet and must not be lost.
    const same = edits === mine
    bench.value = same ? changed : { ...changed, name: now.name, setup: bench.value?.setup ?? changed.setup }
    state.value = same ? 'saved' : 'unsaved'
    at.value = Math.min(at.value, Math.max(0, changed.records.length - 1))
    if (changed.key !== key.value) await moved(changed.key)
    await check()
  }
  let timer = 0
  /** Counts the changes made here. */
  let edits = 0

  /** Changes something and saves it. */
  function change(work: (bench: Bench) => void, soon = false) {
    if (!bench.value) return
    edits++
    work(bench.value)
    if (state.value === 'saved') state.value = 'unsaved'
    window.clearTimeout(timer)
    if (soon) timer = window.setTimeout(() => void save(), 400)
    else void save()
  }

  // Nobody leaves before it is saved without being asked.
  useEventListener(window, 'beforeunload', (event) => {
    if (state.value === 'unsaved' || state.value === 'saving') event.preventDefault()
  })
  onScopeDispose(() => {
    if (state.value === 'unsaved') void save()
  })

  async function check() {
    await Promise.all([preflight(), show()])
  }

  /** Cancels the preflight under way; the server then stops checking. */
  let checking = new AbortController()
  async function preflight() {
    checking.abort()
    checking = new AbortController()
    const { signal } = checking
    const now = bench.value
    if (!now?.template || !now.sheet || now.template_problems) {
      causes.value = undefined
      notes.value = []
      totals.value = undefined
      wrong.value = 0
      return
    }
    const path = `/api/dispatches/${encodeURIComponent(key.value)}/preflight?totals=${summed.value}`
    const whole = await attempt(async () => {
      let complete = false
      for await (const found of lines<Schemas['PreflightView']>(path, signal)) {
        if (signal.aborted) return true
        complete = found.complete
        checked.value = complete ? undefined : found
        if (complete || found.causes.length || found.checked === found.count) causes.value = found.causes
        wrong.value = found.wrong
        if (complete) notes.value = found.notes
        totals.value = complete ? { totals: found.totals, last: found.last } : undefined
      }
      if (!complete)
        throw new Refusal('interrupted', 'The check was interrupted. Reload the page to check again.')
      return true
    }, signal)
    if (signal.aborted) return
    checked.value = undefined
    if (!whole) causes.value = undefined
  }

  watch(summed, (now) => now && !totals.value?.totals && void preflight())

  let asked = 0
  async function show() {
    const row = record.value?.row
    const mine = ++asked
    if (!row || !bench.value?.template) {
      page.value = undefined
      pageProblem.value = ''
      return
    }
    try {
      const got = await ask(
        api.GET('/api/dispatches/{key}/pages/{row}', { params: { path: { key: key.value, row } } }),
      )
      if (mine !== asked) return
      page.value = got
      pageProblem.value = ''
    } catch (error) {
      if (mine !== asked) return
      page.value = undefined
      pageProblem.value = error instanceof Error ? error.message : String(error)
    }
  }
  watch(at, () => void show())

  function step(by: number) {
    const count = bench.value?.records.length ?? 0
    if (count) at.value = (at.value + by + count) % count
  }

  function goTo(row: number) {
    const index = bench.value?.records.findIndex((r) => r.row === row) ?? -1
    if (index >= 0) at.value = index
  }

  function nextFinding() {
    const records = bench.value?.records ?? []
    for (let ahead = 1; ahead <= records.length; ahead++) {
      const index = (at.value + ahead) % records.length
      if (rowsWithFindings.value.has(records[index]?.row ?? -1)) {
        at.value = index
        return
      }
    }
  }

  return {
    bench,
    state,
    save,
    at,
    record,
    page,
    pageProblem,
    causes,
    checked,
    wrong,
    notes,
    totals,
    rowsWithFindings,
    load,
    check,
    change,
    step,
    goTo,
    nextFinding,
  }
}
