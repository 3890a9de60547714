import { api, ask, attempt, type Schemas } from './client'
import { confirmed } from './confirm'
import { cameBack, count } from './words'

type Item = Schemas['ItemInfo']
/** How many records are looked at before a whole run is retried. */
const MOST = 500

/**
 * Whether failed records may be tried again. What had left before and came back goes to all its
 * recipients a second time: that is asked first.
 */
async function allowed(items: Item[]): Promise<boolean> {
  const back = items.flatMap((item) => item.deliveries.filter(cameBack))
  if (!back.length) return true
  const to = back.slice(0, 5).map((one) => `${one.recipient} (${one.name})`)
  const more = back.length > to.length ? ` and ${back.length - to.length} more` : ''
  const text = `${count(back.length, 'delivery', 'deliveries')} had already left once. Deliver again to ${to.join(', ')}${more}?`
  return await confirmed({ title: 'Retry', text, act: 'Deliver again', destroys: true })
}

/** Tries a failed record again; the run's number, if it was. */
export async function retryItem(item: Item): Promise<number | undefined> {
  if (!(await allowed([item]))) return undefined
  const params = { path: { id: item.id } }
  return (await attempt(() => ask(api.POST('/api/items/{id}/retry', { params }))))?.id
}

/** Tries all failed records of a run again; the run's number, if they were. */
export async function retryRun(id: number): Promise<number | undefined> {
  const params = { path: { id }, query: { state: 'failed', count: MOST } }
  const failed = await attempt(() => ask(api.GET('/api/runs/{id}/items', { params })))
  if (!failed || !(await allowed(failed))) return undefined
  return (await attempt(() => ask(api.POST('/api/runs/{id}/retry', { params: { path: { id } } }))))?.id
}
