<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { Bench } from '../api/bench'
import { api, ask, attempt, type Schemas } from '../api/client'
import { said } from '../api/diagnostics'
import { count, grouped } from '../api/words'
import MarkedPages from './MarkedPages.vue'
import ZoomBar from './ZoomBar.vue'

/** The page of the record at hand, as it will be made. */
const props = defineProps<{
  bench: Bench
  at: number
  record: Schemas['RecordInfo'] | undefined
  page: Schemas['PageView'] | undefined
  problem: string
  found: number
}>()
const emit = defineEmits<{ step: [number]; finding: []; rewritten: [] }>()

/** The entry of the trace whose value was clicked. */
const asked = ref<number>()
const entry = () => (asked.value === undefined ? undefined : props.page?.trace[asked.value])
watch(
  () => [props.record?.row, props.bench.template?.version],
  () => (asked.value = undefined),
)
/** Whether it may be a placeholder of another template than the dispatch's own: edited there alone. */
const several = computed(() => props.bench.setup.rules.length > 0)
/** The placeholder's text as it is edited. */
const draft = ref('')
watch(asked, () => (draft.value = entry()?.text ?? ''))
const edited = computed(() => !several.value && !!entry() && draft.value.trim() !== entry()?.text)
const saving = ref(false)

/** Writes the placeholder anew and keeps the template as its next version. */
async function rewrite() {
  const [id, number, placeholder] = [
    props.bench.template_id,
    props.bench.template?.version,
    entry()?.placeholder,
  ]
  if (!edited.value || !id || !number || placeholder === undefined) return
  saving.value = true
  const kept = await attempt(() =>
    ask(
      api.PUT('/api/templates/{id}/versions/{number}/placeholders/{placeholder}', {
        params: { path: { id, number, placeholder } },
        body: { text: draft.value },
      }),
    ),
  )
  saving.value = false
  if (!kept) return
  asked.value = undefined
  const inUse = kept.in_use === kept.shown && !props.bench.setup.version
  const where = inUse ? 'in use now' : 'a draft. To use it, open the template'
  ElMessage({ message: `Saved as version ${kept.shown}, ${where}.` })
  emit('rewritten')
}
const zoom = ref(1)
const titleOf = (number: number) => {
  const one = props.page?.trace[number]
  return [one?.text, one?.failed].filter(Boolean).join(': ')
}
/** What is found, each once: placeholders that are alike fail alike. */
const told = computed(() => {
  const all = (props.page?.findings ?? []).map((f) => [`${f.source} ${said(f)}`, f] as const)
  return [...new Map(all).values()]
})
/** What failed stands in its place, marked. */
const kindOf = (number: number) => (props.page?.trace[number]?.failed ? 'failed' : '')
</script>

<template>
  <aside class="proof" aria-label="Page">
    <div class="step">
      <template v-if="!bench.setup.joint">
        <el-button aria-label="Previous record" :disabled="!bench.records.length" @click="$emit('step', -1)"
          >←</el-button
        >
        <el-button aria-label="Next record" :disabled="!bench.records.length" @click="$emit('step', 1)"
          >→</el-button
        >
      </template>
      <b v-if="bench.setup.joint && page">One document for {{ page.label }}</b>
      <template v-else-if="record">
        <b>{{ grouped(at + 1) }} of {{ grouped(bench.records.length) }}</b>
        <span class="label" :title="record.label">{{ record.label }}, row {{ record.row }}</span>
      </template>
      <span class="push" />
      <button v-if="found" type="button" class="say wrong" @click="$emit('finding')">
        {{ count(found, 'record') }} with findings
      </button>
    </div>
    <div class="desk">
      <div v-if="page?.findings.length" role="alert">
        <ul class="faults">
          <li v-for="finding in told" :key="`${finding.source} ${said(finding)}`">
            <span v-if="finding.source" class="code name">{{ finding.source }}</span>
            {{ said(finding) }}
          </li>
        </ul>
      </div>
      <MarkedPages
        v-if="page?.pages.length"
        :pages="page.pages"
        :marks="page.marks"
        :signatures="page.signatures"
        :zoom="zoom"
        :chosen="asked === undefined ? [] : [asked]"
        :title="titleOf"
        :kind="kindOf"
        @choose="asked = $event"
      />
      <p v-if="problem" class="hint">{{ problem }}</p>
      <p v-else-if="!bench.template" class="hint">Choose a template to see the page.</p>
      <p v-else-if="!bench.sheet" class="hint">Choose a source to see the page.</p>
      <p v-else-if="!record" class="hint">
        No records match. Change the filter under Records{{ several ? ', or the rules under Template' : '' }}.
      </p>
    </div>
    <div v-if="entry()" class="origin" role="status">
      <div class="says">
        <el-input
          v-model="draft"
          class="code edit"
          aria-label="Placeholder"
          :readonly="several"
          @keyup.enter="rewrite"
          @keyup.esc="draft = entry()?.text ?? ''"
          @keydown.stop
        />
        <el-button v-if="edited" type="primary" :loading="saving" @click="rewrite">Save</el-button>
        <span v-if="entry()?.turns.length" class="quiet">repetition {{ entry()?.turns.join(', ') }}</span>
        <span class="push" />
        <RouterLink
          :to="`/templates/${bench.template_id}/placeholders?version=${bench.template?.version}`"
          class="quiet"
          >Show in template</RouterLink
        >
        <button type="button" aria-label="Close" @click="asked = undefined">×</button>
      </div>
      <div v-if="entry()?.failed" class="problem">{{ entry()?.failed }}</div>
      <div v-if="entry()?.chose" class="quiet">{{ entry()?.chose }}</div>
      <table>
        <tbody>
          <tr v-for="(read, index) in entry()?.read" :key="index">
            <td class="quiet">
              {{ read.field }}<template v-if="read.turn"> in repetition {{ read.turn }}</template>
            </td>
            <td>{{ read.value || 'blank' }}</td>
          </tr>
          <tr v-if="!entry()?.read.length">
            <td class="quiet">Uses no fields</td>
          </tr>
        </tbody>
      </table>
    </div>
    <div class="foot">
      <ZoomBar v-model="zoom" />
      <span>{{ page?.count ? count(page.count, 'page') : '' }}</span>
      <span class="code">{{ page?.file_name }}</span>
      <span v-if="!bench.setup.joint"><kbd>←</kbd> <kbd>→</kbd> previous/next <kbd>F</kbd> next finding</span>
    </div>
  </aside>
</template>

<style scoped>
.proof {
  border-left: 1px solid var(--line);
  background: var(--desk);
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.step,
.foot {
  flex: none;
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 0 12px;
  background: var(--paper);
}
.step {
  height: 40px;
  border-bottom: 1px solid var(--line);
}
.step .el-button {
  padding: 0 8px;
}
.step .say {
  border: 0;
  cursor: pointer;
}
.step b,
.step .say {
  white-space: nowrap;
  flex: none;
}
.label {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-width: 0;
}
.foot {
  height: 34px;
  justify-content: space-between;
  font-size: 12px;
  color: var(--ink-2);
  border-top: 1px solid var(--line);
  white-space: nowrap;
}
.foot .code {
  overflow: hidden;
  text-overflow: ellipsis;
}
.desk {
  flex: 1;
  min-height: 0;
  overflow: auto;
  padding: 16px 20px;
}
.origin {
  flex: none;
  max-height: 40%;
  overflow: auto;
  padding: 8px 12px;
  background: var(--sheet);
  border-top: 1px solid var(--accent);
}
.says {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.says .code {
  overflow-wrap: anywhere;
}
.says .edit {
  flex: 1;
}
.says button[aria-label='Close'] {
  border: 0;
  background: none;
  cursor: pointer;
  font-size: 16px;
}
.origin td {
  padding: 1px 12px 1px 0;
  vertical-align: top;
}
.hint {
  text-align: center;
  margin: 96px auto;
}
</style>
