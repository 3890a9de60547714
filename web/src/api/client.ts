import createClient from 'openapi-fetch'

import type { components, paths } from './schema'

export type Schemas = components['schemas']

/** The server's API with its types. */
export const api = createClient<paths>({ baseUrl: '/' })

/** A refusal of the server, or no answer at all. */
export class Refusal extends Error {
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message)
  }
}

interface Answer<T> {
  data?: T
  error?: unknown
}

/** The data of an answer, or the refusal as an error that can be shown. */
export async function ask<T>(answer: Promise<Answer<T>>): Promise<T> {
  let got: Answer<T>
  try {
    got = await answer
  } catch {
    throw new Refusal('unreachable', 'Can’t reach Mangle. Check that it is still running.')
  }
  if (got.data !== undefined) return got.data
  const problem = got.error as Partial<Schemas['Problem']> | undefined
  throw new Refusal(
    problem?.code ?? 'unknown',
    problem?.message ?? 'The request failed without a reason. Try again.',
  )
}

/** What the server answers line by line, each as it comes. */
export async function* lines<T>(path: string, signal: AbortSignal): AsyncGenerator<T> {
  const got = await fetch(path, { signal }).catch(() => undefined)
  if (!got?.body) throw new Refusal('unreachable', 'Can’t reach Mangle. Check that it is still running.')
  const reader = got.body.pipeThrough(new TextDecoderStream()).getReader()
  let rest = ''
  for (;;) {
    const { done, value } = await reader.read().catch(() => {
      throw new Refusal('unreachable', 'The connection to Mangle was lost. Check that it is still running.')
    })
    const parts = (rest + (value ?? (done ? '\n' : ''))).split('\n')
    rest = parts.pop() ?? ''
    for (const part of parts.filter(Boolean)) {
      const line: unknown = JSON.parse(part)
      const { code, message } = line as Partial<Schemas['Problem']>
      if (code && message) throw new Refusal(code, message)
      yield line as Awaited<T>
    }
    if (done) return
  }
}

/** Files as the form that the server takes. */
export function form(files: Iterable<File>): FormData {
  const data = new FormData()
  for (const file of files) data.append('file', file, file.name)
  return data
}

/** openapi-fetch options for files. */
export function upload(files: Iterable<File>) {
  return { body: { file: '' }, bodySerializer: () => form(files) }
}

/** Downloads what the server makes of a selection. */
export const saveFrom = (path: string, body: unknown) =>
  save(path, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  })

/** Downloads a file of the server; a refusal is an error that can be shown. */
export async function save(path: string, how?: RequestInit): Promise<void> {
  const got = await fetch(path, how).catch(() => undefined)
  if (!got) throw new Refusal('unreachable', 'Can’t reach Mangle. Check that it is still running.')
  if (!got.ok) {
    const problem = (await got.json().catch(() => undefined)) as Partial<Schemas['Problem']> | undefined
    throw new Refusal(
      problem?.code ?? 'unknown',
      problem?.message ?? 'The file can’t be downloaded just now.',
    )
  }
  const named = /filename\*=UTF-8''([^;]+)/.exec(got.headers.get('content-disposition') ?? '')?.[1]
  const link = document.createElement('a')
  link.href = URL.createObjectURL(await got.blob())
  link.download = named ? decodeURIComponent(named) : (path.split('/').pop() ?? 'file')
  link.click()
  window.setTimeout(() => URL.revokeObjectURL(link.href), 60_000)
}

/** Says what went wrong where everyone sees it. */
export function tell(error: unknown): void {
  ElMessage({
    // What a person stopped is no fault.
    type: error instanceof Refusal && error.code === 'stopped' ? 'info' : 'error',
    message: error instanceof Error ? error.message : String(error),
    duration: 8000,
    showClose: true,
  })
}

/** Does something and tells when it goes wrong, unless it was called off. */
export async function attempt<T>(work: () => Promise<T>, signal?: AbortSignal): Promise<T | undefined> {
  try {
    return await work()
  } catch (error) {
    if (!signal?.aborted) tell(error)
    return undefined
  }
}
