/** Dates and sizes as the screens write them. */
export function day(stamp: string | null | undefined): string {
  if (!stamp) return ''
  const date = new Date(stamp)
  return date.toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' })
}

export function shortDay(stamp: string | null | undefined): string {
  if (!stamp) return ''
  return new Date(stamp).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })
}

export function clock(stamp: string | null | undefined): string {
  return stamp ? stamp.slice(11, 16) : ''
}

export function size(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`
  if (bytes < 1e6) return `${Math.round(bytes / 1000)} kB`
  return `${(bytes / 1e6).toFixed(1)} MB`
}

export function count(number: number, one: string, many = `${one}s`): string {
  return `${number.toLocaleString('en-GB')} ${number === 1 ? one : many}`
}

/** Seconds as "3 min 20 s". */
export function span(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds))
  if (whole < 60) return `${whole} s`
  return `${Math.floor(whole / 60)} min ${whole % 60} s`
}
