import { computed, ref } from 'vue'

import { api, ask, attempt, type Schemas } from './client'

type Kind = Schemas['LabelledKind']

const all = ref<Schemas['Labelled'][]>([])

/** The labels of things of a kind: read, given, and all that there are. */
export function useLabels(kind: Kind) {
  const load = () => attempt(async () => (all.value = await ask(api.GET('/api/labels'))))
  const of = (key: string | number) =>
    all.value.find((one) => one.kind === kind && one.key === String(key))?.labels ?? []
  const names = computed(() => {
    const own = all.value.filter((one) => one.kind === kind).flatMap((one) => one.labels)
    return [...new Set(own)].sort((a, b) => a.localeCompare(b))
  })

  /** Asks for the labels of something and gives them to it. */
  async function edit(key: string | number, name: string) {
    const got = await ElMessageBox.prompt(
      `Labels of “${name}”, separated by commas${names.value.length ? `. In use: ${names.value.join(', ')}` : ''}`,
      'Labels',
      { confirmButtonText: 'Save labels', inputValue: of(key).join(', ') },
    ).catch(() => undefined)
    if (!got) return
    const labels = got.value.split(',').map((label) => label.trim())
    const params = { path: { kind, key: String(key) } }
    const set = await attempt(() =>
      ask(api.PUT('/api/labels/{kind}/{key}', { params, body: { labels: labels.filter(Boolean) } })),
    )
    if (set) all.value = set
  }
  return { load, of, names, edit }
}
