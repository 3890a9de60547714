<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt } from '../api/client'
import { useRuns } from '../api/runs'
import { useFirstField } from './first-field'

interface Hit {
  kind: string
  name: string
  to: string
}

const open = defineModel<boolean>({ required: true })
const router = useRouter()
const runs = useRuns()
const text = ref('')
const at = ref(0)
const all = ref<Hit[]>([])
const begin = useFirstField()

watch(open, async (now) => {
  if (!now) return
  text.value = ''
  at.value = 0
  await attempt(async () => {
    const [sources, templates, dispatches] = await Promise.all([
      ask(api.GET('/api/sources')),
      ask(api.GET('/api/templates')),
      ask(api.GET('/api/dispatches')),
    ])
    all.value = [
      ...dispatches.map((d) => ({ kind: 'dispatch', name: d.name, to: `/dispatches/${d.key}` })),
      ...sources.flatMap((s) =>
        s.sheets.map((h) => ({ kind: 'sheet', name: `${s.name}, ${h.name}`, to: `/sheets/${h.id}` })),
      ),
      ...templates.map((t) => ({ kind: 'template', name: t.name, to: `/templates/${t.id}` })),
      ...runs.runs.map((r) => ({
        kind: r.kind,
        name: `${r.dispatch_name}, no. ${r.id}`,
        to: `/runs/${r.id}`,
      })),
    ]
  })
})

const hits = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/)
  return all.value
    .filter((hit) => words.every((w) => `${hit.kind} ${hit.name}`.toLowerCase().includes(w)))
    .slice(0, 12)
})
watch(hits, () => (at.value = 0))

function go(hit: Hit | undefined) {
  if (!hit) return
  open.value = false
  void router.push(hit.to)
}
</script>

<template>
  <el-dialog v-model="open" title="Find anything" width="480" top="80px" @open-auto-focus="begin">
    <el-input
      ref="first"
      v-model="text"
      aria-label="Find"
      placeholder="A name"
      @keydown.down.prevent="at = Math.min(at + 1, hits.length - 1)"
      @keydown.up.prevent="at = Math.max(at - 1, 0)"
      @keydown.enter="go(hits[at])"
    />
    <ul>
      <li v-for="(hit, index) in hits" :key="hit.to" :class="{ at: index === at }" @click="go(hit)">
        <span>{{ hit.name }}</span><span class="quiet">{{ hit.kind }}</span>
      </li>
      <li v-if="!hits.length" class="quiet">Nothing is called that.</li>
    </ul>
  </el-dialog>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
li {
  display: flex;
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
