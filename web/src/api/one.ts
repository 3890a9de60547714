/** One record's document, created from wherever the record is shown. */

import { api, ask, type Schemas } from './client'
import { confirmed } from './confirm'
import { moment } from './words'

/** Waits until the document of a run is there. */
async function made(run: number): Promise<number | undefined> {
  for (let tries = 0; tries < 300; tries++) {
    const query = { from: 0, count: 1 }
    const items = await ask(api.GET('/api/runs/{id}/items', { params: { path: { id: run }, query } }))
    const item = items[0]
    if (item && item.state !== 'waiting' && item.state !== 'making')
      return item.state === 'failed' ? undefined : item.id
    await new Promise((done) => window.setTimeout(done, 200))
  }
  return undefined
}

/** Asks before a document is created again for a record. */
export function again(own: Schemas['OneRecord']) {
  if (!own.repeats) return true
  const last = own.before[0]
  const text = `“${own.name}” has already created a document for ${own.label}${last ? `, last on ${moment(last.changed)}` : ''}. Create another one?`
  return confirmed({ title: 'Create again', text, act: 'Create again', destroys: true })
}

/** Creates the document; where it is shown. The same key starts once. */
export async function createOne(
  key: string,
  own: Schemas['OneRecord'],
  how: { choices?: Schemas['OneChoices']; hold: boolean; startKey: string },
) {
  const body = {
    choices: how.choices ?? { answers: {} },
    hold: how.hold,
    repeats: own.repeats,
    revision: own.revision,
    start_key: how.startKey,
  }
  const params = { path: { key, record: own.row } }
  const run = await ask(api.POST('/api/dispatches/{key}/one/{record}', { params, body }))
  const item = await made(run.id)
  return item ? `/documents/${item}` : `/runs/${run.id}`
}
