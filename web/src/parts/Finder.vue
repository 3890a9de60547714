<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt } from '../api/client'
import { useRuns } from '../api/runs'
import { useFirstField } from './first-field'
import { SETTINGS } from './settings'

interface Hit {
  kind: string
  name: string
  to: string
}

const PLACES: Hit[] = [
  ...Object.values(SETTINGS).map(({ title, about }) => ({
    kind: 'settings',
    name: `${title}: ${about}`,
    to: `/settings#${encodeURIComponent(title)}`,
  })),
  { kind: 'place', name: 'Clauses', to: '/clauses' },
  { kind: 'place', name: 'CRM connections', to: '/connections' },
  { kind: 'place', name: 'Practice mailbox', to: '/practice/mailbox' },
  { kind: 'place', name: 'Documents', to: '/documents' },
  { kind: 'place', name: 'Ledger', to: '/ledger' },
  { kind: 'place', name: 'Personal data: find and erase', to: '/personal-data' },
  { kind: 'place', name: 'Import set-up', to: '/moves' },
  { kind: 'place', name: 'Verify a PDF', to: '/verify' },
  { kind: 'place', name: 'Message templates', to: '/messages' },
  { kind: 'help', name: 'Help: guide and functions', to: '/help' },
]
const open = defineModel<boolean>({ required: true })
const router = useRouter()
const runs = useRuns()
const text = ref('')
const at = ref(0)
const all = ref<Hit[]>([])
/** Documents and rows that hold what is typed. */
const made = ref<Hit[]>([])
const begin = useFirstField()

watch(open, async (now) => {
  if (!now) return
  text.value = ''
  at.value = 0
  await attempt(async () => {
    const [sources, templates, dispatches, messages, clauses, connections] = await Promise.all([
      ask(api.GET('/api/sources')),
      ask(api.GET('/api/templates')),
      ask(api.GET('/api/dispatches')),
      ask(api.GET('/api/messages')),
      ask(api.GET('/api/clauses')),
      ask(api.GET('/api/connections')),
    ])
    all.value = [
      ...PLACES,
      ...dispatches.map((d) => ({ kind: 'dispatch', name: d.name, to: `/dispatches/${d.key}` })),
      ...sources.flatMap((s) =>
        s.sheets.map((h) => ({ kind: 'sheet', name: `${s.name}, ${h.name}`, to: `/sheets/${h.id}` })),
      ),
      ...sources
        .filter((s) => s.kind === 'form')
        .map((s) => ({ kind: 'form', name: s.name, to: `/forms/${s.id}` })),
      ...templates.map((t) => ({ kind: 'template', name: t.name, to: `/templates/${t.id}` })),
      ...messages.map((m) => ({ kind: 'message template', name: m.name, to: `/messages/${m.key}` })),
      ...clauses.map((c) => ({ kind: `clause ${c.language}`, name: c.name, to: `/clauses/${c.id}` })),
      ...connections.map((c) => ({ kind: 'CRM connection', name: c.name, to: `/connections/${c.id}` })),
      ...runs.runs.map((r) => ({
        kind: r.kind,
        name: `${r.dispatch_name}, run ${r.id}`,
        to: `/runs/${r.id}`,
      })),
    ]
  })
})

let asked = 0
const findMade = useDebounceFn(async () => {
  const mine = ++asked
  const { data } = await api.GET('/api/find', { params: { query: { find: text.value } } })
  if (mine !== asked || !data) return
  made.value = [
    ...data.documents.map((one) => ({
      kind: `document, ${one.dispatch_name}`,
      name: [one.file_name, one.label, one.recipients].filter(Boolean).join(', '),
      to: `/documents/${one.item}`,
    })),
    ...data.rows.map((row) => ({
      kind: row.sheet_name,
      name: row.name,
      to: `/sheets/${row.sheet}/row/${row.number}`,
    })),
  ]
}, 200)
watch(text, () => {
  made.value = []
  void findMade()
})

const hits = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/)
  const named = all.value.filter((hit) =>
    words.every((w) => `${hit.kind} ${hit.name}`.toLowerCase().includes(w)),
  )
  return [...named.slice(0, 12), ...made.value.slice(0, 28)]
})
watch(hits, () => (at.value = 0))

function go(hit: Hit | undefined) {
  if (!hit) return
  open.value = false
  void router.push(hit.to)
}
</script>

<template>
  <el-dialog v-model="open" title="Search" width="560" top="80px" @open-auto-focus="begin">
    <el-input
      ref="first"
      v-model="text"
      aria-label="Search"
      placeholder="e.g. a dispatch, a template, a person"
      @keydown.down.prevent="at = Math.min(at + 1, hits.length - 1)"
      @keydown.up.prevent="at = Math.max(at - 1, 0)"
      @keydown.enter="go(hits[at])"
    />
    <ul>
      <li v-for="(hit, index) in hits" :key="hit.to" :class="{ at: index === at }" @click="go(hit)">
        <span class="name">{{ hit.name }}</span><span class="quiet">{{ hit.kind }}</span>
      </li>
      <li v-if="!hits.length" class="quiet">No matches</li>
    </ul>
  </el-dialog>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
  max-height: 60vh;
  overflow: auto;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.quiet {
  flex: none;
  max-width: 45%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
li {
  display: flex;
  gap: 12px;
  justify-content: space-between;
  height: 30px;
  align-items: center;
  padding: 0 8px;
  cursor: pointer;
}
li.at {
  background: var(--accent-tint);
}
</style>
