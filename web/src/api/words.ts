/** Dates, times and sizes as the screens write them. */

/** A moment of the server, which writes UTC; a bare date stays that date everywhere. */
const read = (stamp: string) => {
  const bare = stamp.length === 10
  return {
    date: new Date(bare || /Z|[+-]\d\d:\d\d$/.test(stamp) ? stamp : `${stamp}Z`),
    zone: bare ? 'UTC' : officeZone,
  }
}
/** The office's time zone, once it is known; the machine's until then. */
let officeZone: string | undefined
export const goBy = (zone: string) => (officeZone = zone || undefined)
function written(stamp: string | null | undefined, options: Intl.DateTimeFormatOptions): string {
  if (!stamp) return ''
  const { date, zone } = read(stamp)
  return new Intl.DateTimeFormat('en-GB', { ...options, timeZone: zone }).format(date)
}
export const day = (stamp: string | null | undefined) =>
  written(stamp, { day: 'numeric', month: 'short', year: 'numeric' })
export const shortDay = (stamp: string | null | undefined) =>
  written(stamp, { day: 'numeric', month: 'short' })
export const clock = (stamp: string | null | undefined) =>
  written(stamp, { hour: '2-digit', minute: '2-digit' })

/** A moment in a line: its day and its time. */
export const moment = (stamp: string | null | undefined) => `${shortDay(stamp)}, ${clock(stamp)}`

/** A number with its thousands apart. */
export const grouped = (number: number) => number.toLocaleString('en-GB')

const STATES: Record<string, string> = {
  made: 'Stored',
  blocked: 'On hold',
  signing: 'Waiting for signatures',
}
/** A state of a run or of one of its items. */
export const stateWord = (state: string) =>
  STATES[state] ?? `${state.charAt(0).toUpperCase()}${state.slice(1)}`

/** What became of what had left already. */
const CAME_BACK = ['bounced', 'aborted', 'cancelled']
/** Whether a delivery failed after it had left. */
export const cameBack = (one: { state: string; error_code: string }) =>
  one.state === 'failed' && CAME_BACK.includes(one.error_code)
/** The state of a delivery: one that failed after it had left says how. */
export const deliveryState = (one: { state: string; error_code: string }) =>
  cameBack(one) ? one.error_code : one.state

/** What happened, as a timeline tells it. */
export const eventWord = (what: string) => {
  const words: Record<string, string> = {
    'put off': 'Not delivered yet',
    confirmed: 'Marked as delivered',
    made: 'Created',
    heard: 'Answer',
    'summary not sent': 'Summary not sent',
    aborted: 'Printer gave up',
    cancelled: 'Cancelled at the printer',
  }
  return words[what] ?? `${what.charAt(0).toUpperCase()}${what.slice(1)}`
}

export function size(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`
  if (bytes < 1e6) return `${Math.round(bytes / 1000)} kB`
  return `${(bytes / 1e6).toFixed(1)} MB`
}

export function count(number: number, one: string, many = `${one}s`): string {
  return `${grouped(number)} ${number === 1 ? one : many}`
}

/** Seconds as "3 min 20 s". */
export function span(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds))
  if (whole < 60) return `${whole} s`
  return `${Math.floor(whole / 60)} min ${whole % 60} s`
}

/** The files that are read as records. */
export const DATA_FILES = '.csv,.tsv,.txt,.xlsx,.xlsm,.xlsb,.xls,.ods,.json'
