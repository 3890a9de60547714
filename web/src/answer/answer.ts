import createClient from 'openapi-fetch'
import { computed, reactive, ref } from 'vue'

import type { components, paths } from '../api/schema'

type Schemas = components['schemas']
export type PublicForm = Schemas['PublicForm']
export type PublicField = Schemas['PublicField']
export type Look = Schemas['LookedBody']
export type Given = Schemas['GivenBody']
export type Answer = Record<string, Given>

/** A file on its way, or there. */
export interface Sending {
  name: string
  size: number
  /** From 0 to 1; there once it has a key. */
  done: number
  key?: string
  wrong?: string
}

const api = createClient<paths>({ baseUrl: '/' })
const LOST = 'You seem to be offline. Your entries are saved on this device. Try again in a moment.'

/** How long after a key is pressed the form is looked at. */
const PAUSE = 300

/** What a person has written, kept on the device until it is sent. */
interface Draft {
  given: Answer
  files: Record<string, Sending[]>
  once: string
}

/** A form that is answered: what stands in it, what is wrong, and its way out. */
export function useAnswer(token: string) {
  const form = ref<PublicForm>()
  const given = reactive<Answer>({})
  const files = reactive<Record<string, Sending[]>>({})
  const look = ref<Look[]>([])
  /** Fields that were left; before that nobody is told what is wrong. */
  const left = reactive(new Set<number>())
  const tried = ref(false)
  const sending = ref(false)
  const thanks = ref('')
  const problem = ref('')
  const gone = ref('')
  const place = `form ${token}`
  let once = random()

  const wrong = computed(() => {
    const told = look.value.filter((l) => l.wrong && l.shown && (tried.value || left.has(l.field)))
    return new Map(told.map((l) => [l.field, l.wrong ?? '']))
  })

  async function load() {
    // What the address says fills fields in, whatever they are called.
    const options = { params: { path: { token } }, querySerializer: () => location.search.slice(1) }
    const got = await api.GET('/api/answer/{token}', options).catch(() => undefined)
    if (!got?.data) {
      gone.value =
        (got?.error as { message?: string } | undefined)?.message ??
        'You seem to be offline. Reload this page in a moment.'
      return
    }
    look.value = got.data.look
    Object.assign(given, got.data.given)
    const draft = kept()
    if (draft && !got.data.shut) {
      Object.assign(given, draft.given)
      Object.assign(files, draft.files)
      once = draft.once
      // Fields that the draft brings into view stand there from the first: they would
      // otherwise push the button away from under the finger.
      await lookAgain()
    }
    form.value = got.data
  }

  function kept(): Draft | undefined {
    try {
      return JSON.parse(localStorage.getItem(place) ?? 'null') ?? undefined
    } catch {
      return undefined
    }
  }

  /** Keeps what is written on the device; where that is not allowed it is not kept. */
  function keep() {
    const there = Object.entries(files).map(([field, all]) => [field, all.filter((f) => f.key)])
    const draft: Draft = { given: { ...given }, files: Object.fromEntries(there), once }
    try {
      localStorage.setItem(place, JSON.stringify(draft))
    } catch {
      // A private window, or a full device.
    }
  }

  let asked = 0
  let timer = 0
  /** Whether what was last looked at is not what is written now. */
  const behind = ref(false)
  /** Fields left while it was behind: what was wrong then may be right by now. */
  const leaving = new Set<number>()

  async function lookAgain() {
    const mine = ++asked
    const params = { path: { token } }
    const got = await api.POST('/api/answer/{token}/look', { params, body: given }).catch(() => undefined)
    // Answers on slow lines may overtake each other: the last asked counts.
    if (!got?.data || mine !== asked) return
    look.value = got.data
    behind.value = false
    leaving.forEach((field) => left.add(field))
    leaving.clear()
  }

  function set(field: number, value: Given) {
    given[field] = value
    keep()
    problem.value = ''
    behind.value = true
    // A look under way is at what stood there before.
    asked += 1
    window.clearTimeout(timer)
    timer = window.setTimeout(lookAgain, PAUSE)
  }

  function leave(field: number) {
    if (behind.value) leaving.add(field)
    else left.add(field)
  }

  /** Sends a file for a field, telling how far it is. */
  function add(field: number, file: File) {
    const own = reactive<Sending>({ name: file.name, size: file.size, done: 0 })
    files[field] = [...(files[field] ?? []), own]
    const data = new FormData()
    data.append('file', file, file.name)
    const request = new XMLHttpRequest()
    pending(new Promise<void>((resolve) => (request.onloadend = () => resolve())))
    request.upload.onprogress = (event) => (own.done = event.total ? event.loaded / event.total : 0)
    request.onerror = () => (own.wrong = LOST)
    request.onload = () => {
      const said = JSON.parse(request.responseText || '{}') as { key?: string; message?: string }
      if (request.status !== 200) return (own.wrong = said.message ?? LOST)
      own.key = said.key
      own.done = 1
      setKeys(field)
      leave(field)
    }
    request.open('POST', `/api/answer/${encodeURIComponent(token)}/files?field=${field}`)
    request.send(data)
  }

  function remove(field: number, which: number) {
    files[field] = (files[field] ?? []).filter((_, index) => index !== which)
    setKeys(field)
  }

  function setKeys(field: number) {
    set(
      field,
      (files[field] ?? []).flatMap((f) => f.key ?? []),
    )
  }

  /** What must be done before the form can be sent. */
  const works = new Set<Promise<void>>()
  function pending(work: Promise<void>) {
    works.add(work)
    void work.finally(() => works.delete(work))
  }

  async function send(homepage: string) {
    if (sending.value) return
    sending.value = true
    problem.value = ''
    // A signature that was drawn just now, and files on their way, go along.
    while (works.size) await Promise.allSettled([...works])
    const params = { path: { token } }
    const body = { given, homepage, once }
    const got = await api.POST('/api/answer/{token}', { params, body }).catch(() => undefined)
    sending.value = false
    tried.value = true
    if (got?.data) {
      thanks.value = got.data.thanks || 'Thank you.'
      localStorage.removeItem(place)
      return
    }
    const refused = got?.error as { message?: string; look?: Look[] } | undefined
    problem.value = refused?.message ?? LOST
    if (refused?.look) look.value = refused.look
  }

  return {
    form,
    given,
    files,
    look,
    behind,
    wrong,
    tried,
    sending,
    thanks,
    problem,
    gone,
    load,
    set,
    leave,
    add,
    remove,
    pending,
    send,
  }
}

/** A text of its own for each answer: one that is sent twice is taken once. */
function random(): string {
  return [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, '0')).join('')
}
