import { useDebounceFn, useIntervalFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from './client'
import { told } from './diagnostics'

export type Shape = Schemas['Shape']
export type Entity = Schemas['Entity']
export type Picks = Schemas['Picks']
export type ListPick = Schemas['ListPick']
export type CrmQuery = Schemas['CrmQuery']
export type Connection = Schemas['ConnectionBody']

export const FIELD_TYPES: Record<Schemas['FieldType'], string> = {
  text: 'text',
  number: 'number',
  'yes-no': 'yes/no',
  date: 'date',
  moment: 'date, time',
  picture: 'picture',
}

export const noPicks = (): Picks => ({ fields: [], lists: [] })

/** A question that is written: tried at every step on a few records, fetched when saved. */
export function useQuery() {
  const id = ref<number>()
  const info = ref<Schemas['QueryBody']>()
  const connection = ref<Connection>()
  const asks = ref<CrmQuery>()
  const name = ref('')
  const key = ref('')
  const sample = ref<Schemas['SampleBody']>()
  const problem = ref('')
  const trying = ref(false)
  const fetching = ref<Schemas['Fetching'] | null>()
  let saved = ''

  const shape = computed(() => connection.value?.shape)
  const root = computed(() => shape.value?.entities.find((e) => e.set === asks.value?.root))
  const changed = computed(() => !id.value || JSON.stringify(asks.value) !== saved)
  const going = computed(() => ['waiting', 'records', 'pictures'].includes(String(fetching.value?.state)))

  /** Opens a saved question. */
  async function open(which: number) {
    id.value = which
    const body = await ask(api.GET('/api/queries/{id}', { params: { path: { id: which } } }))
    connection.value = await ask(
      api.GET('/api/connections/{id}', { params: { path: { id: body.connection_id } } }),
    )
    take(body)
    asks.value = body.asks
  }

  /** Begins a new question to a CRM. */
  async function begin(at: number, root?: string) {
    const found = await ask(api.GET('/api/connections/{id}', { params: { path: { id: at } } }))
    connection.value = found
    const first = root ?? found.shape.entities[0]?.set ?? ''
    asks.value = { root: first, picks: noPicks(), filter: '', order: '', first: null }
  }

  function take(body: Schemas['QueryBody']) {
    info.value = body
    name.value = body.name
    fetching.value = body.fetching
    saved = JSON.stringify(body.asks)
    if (going.value) watcher.resume()
  }

  let tried = 0
  async function tryIt() {
    const [at, body] = [connection.value?.id, asks.value]
    if (!at || !body) return
    const mine = ++tried
    trying.value = true
    try {
      const params = { path: { id: at } }
      const got = await ask(
        api.POST('/api/connections/{id}/sample', { params, body: { asks: body, key: key.value } }),
      )
      if (mine === tried) [sample.value, problem.value] = [got, '']
    } catch (error) {
      if (mine === tried) problem.value = error instanceof Error ? error.message : String(error)
    }
    if (mine === tried) trying.value = false
  }
  const trySoon = useDebounceFn(tryIt, 350)
  watch([asks, key], () => void trySoon(), { deep: true })

  /** Saves the question; its records are fetched. */
  async function save() {
    const at = connection.value?.id
    if (!at || !asks.value) return undefined
    const body = { name: name.value, connection_id: at, asks: asks.value }
    const kept = await attempt(() =>
      id.value
        ? ask(api.PUT('/api/queries/{id}', { params: { path: { id: id.value } }, body: body.asks }))
        : ask(api.POST('/api/queries', { body })),
    )
    if (!kept) return undefined
    id.value = kept.id
    take(kept)
    return kept
  }

  async function fetchAgain() {
    const params = { path: { id: id.value ?? 0 } }
    fetching.value = await attempt(() => ask(api.POST('/api/queries/{id}/fetch', { params })))
    watcher.resume()
  }
  async function stop() {
    const params = { path: { id: id.value ?? 0 } }
    await attempt(() => ask(api.DELETE('/api/queries/{id}/fetch', { params })))
  }
  const watcher = useIntervalFn(
    async () => {
      const params = { path: { id: id.value ?? 0 } }
      const { data } = await api.GET('/api/queries/{id}/fetch', { params })
      fetching.value = data
      if (going.value) return
      watcher.pause()
      const body = await attempt(() => ask(api.GET('/api/queries/{id}', { params })))
      if (body) info.value = body
    },
    400,
    { immediate: false },
  )

  const wrong = (place: string) =>
    told(
      sample.value?.problems.find(
        ({ target }) => target.kind === 'query' && [...target.lists, target.part].join(' › ') === place,
      ),
    )
  return {
    ...{ id, info, connection, asks, name, key, sample, problem, trying, fetching },
    ...{ shape, root, changed, going, open, begin, save, fetchAgain, stop, wrong },
  }
}
export type QueryDesk = ReturnType<typeof useQuery>
