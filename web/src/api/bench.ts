import { useDebounceFn } from '@vueuse/core'
import { computed, ref, watch, type Ref } from 'vue'

import { api, ask, attempt, type Schemas } from './client'
import { count } from './words'

export type Bench = Schemas['Bench']
export type Finding = Schemas['FindingInfo']
export type Note = Schemas['NoteInfo']
export type Setup = Schemas['SetupBody']

/** How many documents a run makes. */
export const documents = (bench: Bench) =>
  bench.setup.joint ? Math.min(1, bench.records.length) : bench.records.length
/** The same in words. */
export const documentsInWords = (bench: Bench) =>
  count(documents(bench), 'document') +
  (bench.setup.joint ? ` of ${count(bench.records.length, 'record')}` : '')

/** One dispatch on the bench: what is saved, the record at hand, the preflight. */
export function useBench(key: Ref<string>) {
  const bench = ref<Bench>()
  const saving = ref(false)
  const at = ref(0)
  const page = ref<Schemas['PageView']>()
  const pageProblem = ref('')
  const findings = ref<Finding[]>()
  const notes = ref<Note[]>([])
  const params = () => ({ path: { key: key.value } })

  const record = computed(() => bench.value?.records[at.value])
  const rowsWithFindings = computed(() => new Set(findings.value?.map((f) => f.row)))

  /** Opens the dispatch at a row, or at its first record. */
  async function load(row?: number) {
    bench.value = await ask(api.GET('/api/dispatches/{key}', { params: params() }))
    at.value = Math.max(
      0,
      bench.value.records.findIndex((r) => r.row === row),
    )
    await check()
  }

  async function save() {
    const now = bench.value
    if (!now) return
    saving.value = true
    const mine = edits
    const body = { name: now.name, template_id: now.template_id, sheet_id: now.sheet_id, setup: now.setup }
    const changed = await attempt(() => ask(api.PUT('/api/dispatches/{key}', { params: params(), body })))
    saving.value = false
    if (!changed) return
    // What was typed meanwhile is not saved yet and must not be lost.
    bench.value =
      edits === mine ? changed : { ...changed, name: now.name, setup: bench.value?.setup ?? changed.setup }
    at.value = Math.min(at.value, Math.max(0, changed.records.length - 1))
    await check()
  }
  const saveSoon = useDebounceFn(save, 400)
  /** Counts the changes made here. */
  let edits = 0

  /** Changes something and saves it. */
  function change(work: (bench: Bench) => void, soon = false) {
    if (!bench.value) return
    edits++
    work(bench.value)
    void (soon ? saveSoon() : save())
  }

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
      findings.value = undefined
      notes.value = []
      return
    }
    const path = '/api/dispatches/{key}/preflight'
    const found = await attempt(() => ask(api.POST(path, { params: params(), signal })), signal)
    if (!signal.aborted) {
      findings.value = found?.findings
      notes.value = found?.notes ?? []
    }
  }

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
    saving,
    at,
    record,
    page,
    pageProblem,
    findings,
    notes,
    rowsWithFindings,
    load,
    change,
    step,
    goTo,
    nextFinding,
  }
}
