import { api, ask, attempt, type Schemas } from './client'

export type CurrencyInfo = Schemas['CurrencyInfo']

let known: Promise<CurrencyInfo[] | undefined> | undefined

/** All currencies of ISO 4217 in use, asked for once. */
export async function currencies(): Promise<CurrencyInfo[]> {
  known ??= attempt(() => ask(api.GET('/api/currencies')))
  const all = await known
  if (!all) known = undefined
  return all ?? []
}

/** The office's currency, which new columns of money start with. */
export async function officeCurrency(): Promise<string> {
  const settings = await attempt(() => ask(api.GET('/api/settings')))
  return settings?.currency || 'EUR'
}
