/** Puts the signs of a mask between what is typed: `1240` in `##.## m` is `12.40`. */
export function shaped(mask: string, typed: string): string {
  const rest = [...typed]
  let out = ''
  const signs = [...mask]
  let at = 0
  for (; at < signs.length && rest.length; at++) {
    let sign = signs[at] ?? ''
    const test = TAKES[sign]
    if (test) {
      if (!test.test(rest[0] ?? '')) break
      out += rest.shift()
      continue
    }
    if (sign === '\\') sign = signs[++at] ?? ''
    out += sign
    if (rest[0] === sign) rest.shift()
  }
  // What stands at the end by itself completes it.
  const end = rest.length ? '' : ending(signs.slice(at))
  // What the mask has no place for stays, for its writer to see.
  return out + end + rest.join('')
}

/** Whether what is typed can still become what the mask asks for. */
export function fitsSoFar(mask: string, typed: string): boolean {
  const signs = [...mask]
  let at = 0
  for (const own of typed) {
    let sign = signs[at++]
    if (sign === undefined) return false
    const test = TAKES[sign]
    if (sign === '\\') sign = signs[at++]
    if (test ? !test.test(own) : own !== sign) return false
  }
  return true
}

/** The signs left, where all of them stand by themselves. */
function ending(signs: string[]): string {
  return signs.some((sign) => TAKES[sign]) ? '' : signs.join('').replaceAll('\\', '')
}

const TAKES: Record<string, RegExp> = { '#': /[0-9]/, '@': /\p{L}/u, '?': /[\p{L}\p{N}]/u }
