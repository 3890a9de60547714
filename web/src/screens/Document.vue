<script setup lang="ts">
import { useDropZone } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'

import { api, ask, attempt, type Schemas, upload } from '../api/client'
import { useRuns } from '../api/runs'
import { count, moment, size, stateWord } from '../api/words'
import ChangeList from '../parts/ChangeList.vue'
import FilePick from '../parts/FilePick.vue'
import ItemPanel from '../parts/ItemPanel.vue'
import MarkedPages from '../parts/MarkedPages.vue'
import PdfPages from '../parts/PdfPages.vue'
import StateWord from '../parts/StateWord.vue'
import { enter } from '../router'

/** A record's document: its pages, its versions, where it went, and what happened to it. */
const props = defineProps<{ item: string }>()
const route = useRoute()
const runs = useRuns()
const detail = ref<Schemas['DocumentDetail']>()
const changes = ref<Schemas['ChangeInfo'][]>()
/** Where the values come from, where that is asked for, and the entry that was clicked. */
const trace = ref<Schemas['DocumentTrace']>()
const asked = ref<number>()
const entry = computed(() => (asked.value === undefined ? undefined : trace.value?.trace[asked.value]))
async function toggleTrace() {
  asked.value = undefined
  if (trace.value) return (trace.value = undefined)
  trace.value = await attempt(() => ask(api.GET('/api/items/{id}/trace', { params: params() })))
}
const busy = ref(false)
const params = () => ({ path: { id: Number(props.item) } })

async function load() {
  const own = await ask(api.GET('/api/items/{id}', { params: params() }))
  detail.value = own
  const edited = own.versions.some((one) => one.kind === 'edited')
  changes.value = edited ? await ask(api.GET('/api/items/{id}/changes', { params: params() })) : undefined
}
watch(
  () => props.item,
  () => enter(load),
  { immediate: true },
)
const run = computed(() => runs.runs.find((one) => one.id === detail.value?.document.run))
watch(run, () => void load().catch(() => undefined))

const pdfs = computed(() => detail.value?.versions.filter((one) => one.format === 'pdf') ?? [])
/** The version that is shown: the newest, or the one in the address. */
const shown = computed(
  () => pdfs.value.find((one) => one.version === Number(route.query.version)) ?? pdfs.value[0],
)
const address = (one: Schemas['DocumentVersion']) => `/api/documents/${one.document}/versions/${one.version}`
const KINDS: Record<string, string> = { made: 'Created', edited: 'Edited', signed: 'Signed' }
const held = computed(() => detail.value?.item.deliveries.filter((one) => one.state === 'blocked') ?? [])

async function putBack(files: File[]) {
  busy.value = true
  const got = await attempt(() =>
    ask(api.PUT('/api/items/{id}/docx', { params: params(), ...upload(files.slice(0, 1)) })),
  )
  busy.value = false
  if (!got) return
  const lines = got.changes.length ? `${count(got.changes.length, 'line')} changed` : 'no text changed'
  ElMessage({ message: `Saved as the next version: ${lines}` })
  await attempt(load)
}
const area = ref<HTMLElement>()
const { isOverDropZone: over } = useDropZone(area, (files) => {
  if (files?.length && !detail.value?.fixed) void putBack(files)
})
async function release() {
  for (const one of held.value) {
    const done = await attempt(() =>
      ask(api.POST('/api/deliveries/{id}/release', { params: { path: { id: one.id } } })),
    )
    if (!done) break
  }
  await attempt(load)
}
</script>

<template>
  <div v-if="detail" class="screen">
    <div class="head">
      <h1 class="name" :title="detail.document.file_name">
        {{ detail.document.file_name || `Document ${detail.document.item}` }}
      </h1>
      <StateWord v-if="!detail.document.removed" :state="detail.document.state" />
      <span class="quiet"
        >{{ detail.document.label }},
        <RouterLink :to="`/dispatches/${detail.document.dispatch}`">{{
          detail.document.dispatch_name
        }}</RouterLink>,
        <RouterLink :to="`/runs/${detail.document.run}?at=${detail.item.position}`"
          >run {{ detail.document.run }}</RouterLink
        ></span
      >
      <span class="push" />
      <RouterLink v-if="detail.row" :to="`/sheets/${detail.sheet}/row/${detail.row}`">Open record</RouterLink>
      <RouterLink v-if="detail.round" :to="`/signing?state=all&round=${detail.round}`">Signing</RouterLink>
      <el-button v-if="held.length" type="primary" @click="release"
        >Release{{ held.length > 1 ? ` ${held.length} deliveries` : '' }}</el-button
      >
    </div>
    <div class="both">
      <div ref="area" class="desk" :class="{ over: over && !detail.fixed }">
        <div v-if="trace" class="traced">
          <p class="quiet">The document as it was created. Click a value to see where it comes from.</p>
          <MarkedPages
            :pages="trace.pages"
            :marks="trace.marks"
            :signatures="trace.signatures"
            shown
            :chosen="asked === undefined ? [] : [asked]"
            :title="(number) => trace?.trace[number]?.text ?? ''"
            @choose="asked = $event"
          />
        </div>
        <PdfPages
          v-else-if="shown"
          class="pages"
          :address="address(shown)"
          :name="detail.document.file_name"
        />
        <div v-else class="empty">
          <h2>{{ detail.document.removed ? 'This document was removed' : 'No pages to show' }}</h2>
          <p v-if="detail.document.removed">
            {{ moment(detail.document.removed.slice(0, 19)) }}: {{ detail.document.removed.slice(20) }}. Its
            files, recipients and values are gone.
          </p>
          <p v-else>This dispatch creates no PDF. Download the DOCX.</p>
        </div>
      </div>
      <aside aria-label="About this document">
        <section v-if="!detail.document.removed" class="panel-body">
          <p>
            <el-button :aria-pressed="!!trace" @click="toggleTrace">{{
              trace ? 'Show the document' : 'Show where values come from'
            }}</el-button>
          </p>
          <div v-if="entry" role="status">
            <p class="code name">{{ entry.text }}</p>
            <p v-if="entry.chose" class="quiet">{{ entry.chose }}</p>
            <table aria-label="Fields used">
              <tbody>
                <tr v-for="(read, at) in entry.read" :key="at">
                  <td class="quiet">{{ read.field }}</td>
                  <td>{{ read.value || 'blank' }}</td>
                </tr>
                <tr v-if="!entry.read.length">
                  <td class="quiet">Uses no fields</td>
                </tr>
              </tbody>
            </table>
          </div>
        </section>
        <section v-if="detail.versions.length" class="panel-body">
          <h2>Versions</h2>
          <p v-for="one in detail.versions" :key="`${one.document} ${one.version}`" class="line">
            <RouterLink
              v-if="one.format === 'pdf'"
              :to="{ query: one.current ? {} : { version: one.version } }"
              :class="{ here: one === shown }"
              >{{ KINDS[one.kind] ?? stateWord(one.kind) }} PDF</RouterLink
            >
            <a v-else :href="address(one)">{{ KINDS[one.kind] }} DOCX</a>
            <span class="quiet"
              >{{ moment(one.made) }}, {{ one.pages ? `${count(one.pages, 'page')}, ` : ''
              }}{{ size(one.size) }}</span
            >
          </p>
          <p v-if="detail.fixed" class="quiet">Can’t be edited: {{ detail.fixed }}</p>
          <template v-else>
            <p class="doing">
              <a class="el-button" :href="`/api/items/${item}/docx`">Download DOCX to edit</a>
              <FilePick label="Upload edited DOCX" accept=".docx" :busy="busy" @files="putBack" />
            </p>
            <p class="quiet">
              Edit it in a word processor and upload it. It becomes the next version, and deliveries that have
              not gone out yet use it.
            </p>
          </template>
          <template v-if="changes">
            <h3>Differences from the version before</h3>
            <ChangeList v-if="changes.length" :changes="changes" />
            <p v-else class="quiet">The text is the same.</p>
          </template>
        </section>
        <ItemPanel :item="detail.item" page @changed="load" />
      </aside>
    </div>
  </div>
</template>

<style scoped>
.name {
  max-width: 420px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.both {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 360px;
}
@media (max-width: 900px) {
  .both {
    grid-template-columns: minmax(0, 1fr);
    overflow: auto;
  }
  .desk {
    min-height: 480px;
  }
}
.desk {
  display: grid;
  min-height: 0;
  background: var(--desk);
}
.desk.over {
  outline: 2px dashed var(--accent);
  outline-offset: -6px;
}
.traced {
  overflow: auto;
  padding: 16px 20px;
}
.pages {
  border-width: 0 1px 0 0;
}
aside {
  overflow: auto;
  padding: 12px 14px;
  border-left: 1px solid var(--line);
}
aside h2 {
  font-size: 13px;
}
aside h3 {
  margin: 4px 0 0;
  font-size: 12px;
  color: var(--ink-2);
}
.line {
  display: flex;
  gap: 8px;
  justify-content: space-between;
}
.line .here {
  font-weight: 600;
}
section {
  padding-bottom: 12px;
  margin-bottom: 12px;
  border-bottom: 1px solid var(--line);
}
a.el-button {
  text-decoration: none;
}
</style>
