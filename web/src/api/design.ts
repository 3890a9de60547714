import { useStorage } from '@vueuse/core'
import { computed, ref, watch, type Ref } from 'vue'

import { enter } from '../router'
import { api, ask, attempt, type Schemas, upload } from './client'

/** One version of a template: what stands in it, its pages, its specimens. */
export function useTemplate(id: Ref<string>, version: Ref<number | undefined>) {
  const template = ref<Schemas['TemplateDetail']>()
  const pages = ref<Schemas['Pages']>()
  const specimens = ref<Schemas['SpecimenInfo'][]>([])
  const path = () => ({ id: Number(id.value) })

  const shown = computed(() => template.value?.versions.find((v) => v.number === template.value?.shown))

  async function load() {
    const params = { path: path(), query: { version: version.value } }
    await enter(async () => take(await ask(api.GET('/api/templates/{id}', { params }))))
  }

  async function take(found: Schemas['TemplateDetail']) {
    template.value = found
    await Promise.all([loadPages(), loadSpecimens()])
  }

  async function loadPages() {
    const one = shown.value
    if (!one) return
    pages.value = await attempt(() =>
      ask(api.GET('/api/versions/{id}/pages', { params: { path: { id: one.id } } })),
    )
  }

  async function loadSpecimens() {
    const query = { version: template.value?.shown }
    const found = await attempt(() =>
      ask(api.GET('/api/templates/{id}/specimens', { params: { path: path(), query } })),
    )
    if (found) specimens.value = found
  }
  watch([id, version], load, { immediate: true })

  /** Brings in a newer file; gives the number of its version. */
  async function bringIn(files: File[]) {
    const options = { params: { path: path() }, ...upload(files) }
    const changed = await attempt(() => ask(api.POST('/api/templates/{id}', options)))
    if (changed) await take(changed)
    return changed
  }

  async function putInUse(number: number) {
    const params = { path: { ...path(), number } }
    const changed = await attempt(() => ask(api.PUT('/api/templates/{id}/in-use/{number}', { params })))
    if (changed) await take(changed)
  }

  async function restore(number: number) {
    const params = { path: { ...path(), number } }
    const changed = await attempt(() => ask(api.POST('/api/templates/{id}/restored/{number}', { params })))
    if (changed) await take(changed)
    return changed
  }

  async function note(version: number, text: string) {
    const params = { path: { id: version } }
    const kept = await attempt(() =>
      ask(api.PUT('/api/versions/{id}/note', { params, body: { note: text } })),
    )
    if (kept) await load()
  }

  async function remove() {
    return await attempt(() => ask(api.DELETE('/api/templates/{id}', { params: { path: path() } })))
  }

  return {
    template,
    pages,
    specimens,
    shown,
    load,
    take,
    loadSpecimens,
    bringIn,
    putInUse,
    restore,
    note,
    remove,
  }
}

/** A name as names match: case, spaces, `_`, dashes and apostrophes do not count. */
export const fold = (name: string) => name.toLowerCase().replace(/[\s_'’-]/g, '')

/** The sheets of all sources, and the one chosen for a template: the one that a
 * person chose last, else the one that has most of the template's fields. */
export function useSheets(template: Schemas['TemplateDetail']) {
  const sheets = ref<{ id: number; label: string; rows: number; fits: number }[]>([])
  const chosen = useStorage<number | undefined>(`template-${template.id}-sheet`, undefined)
  const wanted = new Set(template.needs.map((need) => fold(need.name)))
  void attempt(async () => {
    const sources = await ask(api.GET('/api/sources'))
    sheets.value = sources.flatMap((source) =>
      source.sheets.map((s) => ({
        id: s.id,
        label: source.sheets.length > 1 ? `${source.name}, ${s.name}` : source.name,
        rows: s.row_count,
        fits: s.columns.filter((c) => wanted.has(fold(c.name))).length,
      })),
    )
  })
  const sheet = computed(
    () =>
      sheets.value.find((s) => s.id === chosen.value) ?? [...sheets.value].sort((a, b) => b.fits - a.fits)[0],
  )
  return { sheets, sheet, choose: (id: number) => (chosen.value = id) }
}
