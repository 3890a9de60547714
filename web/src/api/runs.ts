import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

import { api, ask, type Schemas } from './client'

export type Run = Schemas['RunInfo']

/** All runs, kept current by the server's events. */
export const useRuns = defineStore('runs', () => {
  const runs = ref<Run[]>([])
  const going = computed(() => runs.value.filter((run) => run.state === 'going' || run.state === 'paused'))
  let source: EventSource | undefined

  function put(run: Run) {
    const at = runs.value.findIndex((own) => own.id === run.id)
    if (at < 0) runs.value.unshift(run)
    else runs.value[at] = run
  }

  async function load() {
    runs.value = await ask(api.GET('/api/runs'))
  }

  function open() {
    if (source) return
    source = new EventSource('/api/run-events')
    source.onmessage = (event) => put(JSON.parse(event.data as string) as Run)
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

  return { runs, going, put, load, listen }
})

/** How many items of a run need nothing more. */
export function done(run: Run): number {
  return run.delivered + run.failed + run.held + run.left_out
}
