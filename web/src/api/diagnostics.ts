import type { Schemas } from './client'

/** Something that is wrong, or that a person should know. */
export type Diagnostic = Schemas['Diagnostic']

/** What is wrong and what to do. */
export const said = (d: Diagnostic) => [d.message, d.help].filter(Boolean).join(' ')

/** The same of what may be fine. */
export const told = (d?: Diagnostic) => d && said(d)

/** The step of a dispatch where it is fixed. */
export function stationOf({ target }: Diagnostic) {
  if (target.kind === 'step' || target.kind === 'setup') return target.station
  if (target.kind === 'template') return 'template'
  return target.kind === 'channel' || target.kind === 'settings' ? 'channels' : undefined
}

const PLACES: Record<Schemas['Place'], string> = {
  body: 'body',
  table: 'table',
  header: 'header',
  footer: 'footer',
  'text-box': 'text box',
  note: 'footnote',
  text: 'text',
}

/** The place in a template, and its line of text. */
export const placeOf = ({ target }: Diagnostic) =>
  target.kind === 'template' ? { place: PLACES[target.place], line: target.line } : { place: '', line: '' }
