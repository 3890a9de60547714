import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

import { api, ask, type Schemas } from './client'

export type Run = Schemas['RunInfo']

/** All runs, kept current by the server's events. */
export const useRuns = defineStore('runs', () => {
  const runs = ref<Run[]>([])
  const going = computed(() => runs.value.filter((run) => run.state === 'running' || run.state === 'paused'))
  let source: EventSource | undefined

  function put(run: Run) {
    const at = runs.value.findIndex((own) => own.id === run.id)
    if (at < 0) runs.value.unshift(run)
    else runs.value[at] = run
  }

  /** Fetches a run. Events may overtake answers: what was asked last is what is shown. */
  const asked = new Map<number, number>()
  async function refresh(id: number) {
    const mine = (asked.get(id) ?? 0) + 1
    asked.set(id, mine)
    const run = await ask(api.GET('/api/runs/{id}', { params: { path: { id } } }))
    if (asked.get(id) === mine) put(run)
  }

  async function load() {
    runs.value = await ask(api.GET('/api/runs'))
  }

  function open() {
    if (source) return
    source = new EventSource('/api/run-events')
    // What an event tells is newer than any answer that is still on its way.
    source.onmessage = (event) => {
      const run = JSON.parse(event.data as string) as Run
      asked.set(run.id, (asked.get(run.id) ?? 0) + 1)
      put(run)
    }
    // After a break the list may be stale.
    source.onopen = () => void load().catch(() => undefined)
  }

  function close() {
    source?.close()
    source = undefined
  }

  /**
   * Listens while the page is seen: a browser has few connections to one server, and
   * pages in other windows, or left behind, would hold them all.
   */
  function listen() {
    open()
    document.addEventListener('visibilitychange', () => (document.hidden ? close() : open()))
    window.addEventListener('pagehide', close)
    window.addEventListener('pageshow', open)
  }

  return { runs, going, refresh, load, listen }
})

/** How many items of a run need nothing more. */
export function done(run: Run): number {
  return run.delivered + run.failed + run.uncertain + run.left_out
}

/** What went wrong with an item or with one of its deliveries. */
export const wrongOf = (item: Schemas['ItemInfo']) =>
  item.error_message
    ? `${item.error_place}: ${item.error_message}`
    : item.deliveries.map((d) => (d.error_message ? `${d.name}: ${d.error_message}` : '')).find(Boolean)
