import { useDebounceFn, useRefHistory } from '@vueuse/core'
import { computed, nextTick, ref, watch, type Ref } from 'vue'

import { api, ask, attempt, type Schemas } from './client'
import { told } from './diagnostics'

export type FormDraft = Schemas['Form']
export type FormField = Schemas['FormField']
export type FieldKind = Schemas['FormFieldKind']

/** A form as it is written: it saves itself, and can be undone while it is open. */
export function useForm(id: Ref<number>) {
  const info = ref<Schemas['FormBody']>()
  const draft = ref<FormDraft>()
  const saving = ref(false)
  const history = useRefHistory(draft, {
    deep: true,
    capacity: 200,
    // Nothing is there before it is loaded.
    clone: (now) => (now ? (JSON.parse(JSON.stringify(now)) as FormDraft) : now),
  })
  const params = () => ({ path: { id: id.value } })
  /** The draft as the server has it. */
  let saved = ''

  async function load() {
    take(await ask(api.GET('/api/forms/{id}', { params: params() })))
    await nextTick()
    history.clear()
  }

  /** Takes what the server says; what was typed meanwhile stays. */
  function take(body: Schemas['FormBody']) {
    const mine = draft.value && JSON.stringify(draft.value) !== saved
    info.value = body
    saved = JSON.stringify(body.draft)
    if (!mine) draft.value = body.draft
  }

  async function save() {
    const body = draft.value
    if (!body || JSON.stringify(body) === saved) return
    saving.value = true
    const sent = JSON.stringify(body)
    const revision = info.value?.revision
    const kept = await attempt(() =>
      ask(api.PUT('/api/forms/{id}', { params: { ...params(), query: { revision } }, body })),
    )
    saving.value = false
    if (!kept) return
    info.value = kept
    saved = sent
    if (draft.value && JSON.stringify(draft.value) === sent) {
      saved = JSON.stringify(kept.draft)
      if (saved !== sent) draft.value = kept.draft
    }
  }
  const saveSoon = useDebounceFn(save, 400)
  watch(draft, () => void saveSoon(), { deep: true })

  async function open() {
    await save()
    const body = await attempt(() => ask(api.POST('/api/forms/{id}/open', { params: params() })))
    if (body) take(body)
  }

  async function close() {
    const body = await attempt(() => ask(api.POST('/api/forms/{id}/close', { params: params() })))
    if (body) take(body)
  }

  const problems = computed(() => info.value?.problems ?? [])
  const problem = (field: number | null, part: string) =>
    told(
      problems.value.find(
        ({ target: t }) => t.kind === 'form' && (t.field ?? null) === field && t.part === part,
      ),
    )

  return { info, draft, saving, history, problems, problem, load, save, open, close }
}
export type FormDesk = ReturnType<typeof useForm>

/** The kinds of fields, in the order in which they are offered. */
export const KINDS: [FieldKind, string][] = [
  ['text', 'Text'],
  ['long-text', 'Long text'],
  ['number', 'Number'],
  ['money', 'Money'],
  ['date', 'Date'],
  ['time', 'Time'],
  ['email', 'E-mail'],
  ['telephone', 'Phone'],
  ['choice', 'Single choice'],
  ['choices', 'Multiple choice'],
  ['yes-no', 'Yes/no'],
  ['accept', 'Consent'],
  ['file', 'File'],
  ['picture', 'Picture'],
  ['signature', 'Signature'],
  ['rows', 'Rows'],
  ['computed', 'Computed'],
  ['hidden', 'Hidden field'],
  ['heading', 'Heading'],
  ['explanation', 'Text block'],
]
export const kindName = (kind: FieldKind) => KINDS.find(([own]) => own === kind)?.[1] ?? kind

/** The name that a label gives its field: in small letters, without the mark at its end, unlike the others. */
export function nameFrom(label: string, others: string[]): string {
  const name = label
    .trim()
    .replace(/[?!:.*"'\s]+$/, '')
    .toLowerCase()
  const taken = (own: string) => others.some((other) => other.toLowerCase() === own)
  let free = name
  for (let n = 2; name && taken(free); n++) free = `${name} ${n}`
  return free
}

/** A new field of a kind, with a number and a name of its own. */
export function newField(kind: FieldKind, fields: FormField[]): FormField {
  const id = Math.max(0, ...fields.map((f) => f.id)) + 1
  const words = kind === 'heading' || kind === 'explanation'
  const label = kindName(kind).replace(',', '')
  const name = words
    ? ''
    : nameFrom(
        label,
        fields.map((f) => f.name),
      )
  return {
    id,
    kind,
    name,
    label: words ? kindName(kind) : name.charAt(0).toUpperCase() + name.slice(1),
    help: '',
    required: false,
    default: '',
    shown_when: '',
    least: '',
    most: '',
    mask: '',
    pattern: '',
    message: '',
    options: kind === 'choice' || kind === 'choices' ? ['Option 1', 'Option 2'] : [],
    currency: kind === 'money' ? 'EUR' : '',
    megabytes: null,
    group: 0,
    formula: '',
  }
}
