<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas, upload } from '../api/client'
import { confirmed, newName } from '../api/confirm'
import { useLabels } from '../api/labels'
import { count, DATA_FILES, day, grouped } from '../api/words'
import FilePick from '../parts/FilePick.vue'
import Imports from '../parts/Imports.vue'
import LabelFilter from '../parts/LabelFilter.vue'
import ListFoot from '../parts/ListFoot.vue'
import NewForm from '../parts/NewForm.vue'

const router = useRouter()
const sources = ref<Schemas['Source'][]>()
const busy = ref(false)

const load = async () => (sources.value = await ask(api.GET('/api/sources')))
onMounted(() => attempt(load))
const labels = useLabels('source')
onMounted(labels.load)
const label = ref('')
const shown = computed(() =>
  sources.value?.filter((one) => !label.value || labels.of(one.id).includes(label.value)),
)

async function take(files: File[]) {
  busy.value = true
  const source = await attempt(() => ask(api.POST('/api/sources', upload(files))))
  busy.value = false
  if (source?.sheets[0]) await router.push(`/sheets/${source.sheets[0].id}`)
}

/** Makes a workbook of what is on the clipboard. */
async function paste(text: string) {
  if (!text.trim()) return
  busy.value = true
  const source = await attempt(() => ask(api.POST('/api/sources/paste', { body: { text, name: '' } })))
  busy.value = false
  if (source?.sheets[0]) await router.push(`/sheets/${source.sheets[0].id}`)
}
useEventListener(document, 'paste', (event: ClipboardEvent) => {
  if (event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement) return
  void paste(event.clipboardData?.getData('text/plain') ?? '')
})

/** Where a source is worked on. */
const place = (source: Schemas['Source']) =>
  ({ form: `/forms/${source.id}`, query: `/queries/${source.id}` })[source.kind] ??
  `/sheets/${source.sheets[0]?.id}`
const from = (source: Schemas['Source']) =>
  ({ form: 'Form', query: 'CRM query' })[source.kind] ?? source.file_name

/** The sources of a kind as lines, each leading to its records. */
const lines = (kind: string, one: string) =>
  (sources.value ?? [])
    .filter((source) => source.kind === kind)
    .slice(0, 6)
    .map((source) => ({
      to: `/sheets/${source.sheets[0]?.id}`,
      name: source.name,
      text: count(source.sheets[0]?.row_count ?? 0, one),
    }))
const foot = computed(() => [
  {
    title: 'Forms',
    none: 'None. Create a form, and its answers become records.',
    lines: lines('form', 'answer'),
  },
  {
    title: 'CRM queries',
    none: 'None. Add a connection to bring records from a CRM.',
    lines: lines('query', 'record'),
  },
])

async function rename(source: Schemas['Source']) {
  const name = await newName('source', source.name)
  if (!name) return
  const params = { path: { id: source.id } }
  await attempt(() => ask(api.PUT('/api/sources/{id}', { params, body: { name } })))
  await attempt(load)
}

async function remove(source: Schemas['Source']) {
  const rows = source.sheets.reduce((sum, sheet) => sum + sheet.row_count, 0)
  const text = `Delete ${source.name} with ${count(rows, 'record')}? This can’t be undone.`
  const act = `Delete ${count(rows, 'record')}`
  if (!(await confirmed({ title: 'Delete source', text, act, destroys: true }))) return
  await attempt(() => ask(api.DELETE('/api/sources/{id}', { params: { path: { id: source.id } } })))
  await attempt(load)
}
</script>

<template>
  <div class="screen">
    <div class="head">
      <h1>Sources</h1>
      <span class="quiet">Where records come from. You can paste a table here.</span><span class="push" />
      <el-button @click="router.push('/connections')">Connections</el-button>
      <NewForm />
      <FilePick label="Import data" :accept="DATA_FILES" main :busy="busy" @files="take" />
    </div>
    <div class="body">
      <Imports @ended="attempt(load)" />
      <LabelFilter v-model="label" :names="labels.names.value" />
      <table v-if="sources?.length" class="list">
        <thead>
          <tr>
            <th>Source</th>
            <th>Sheets</th>
            <th>From</th>
            <th class="num" style="width: 110px">Records</th>
            <th style="width: 130px">Added</th>
            <th style="width: 200px"><span class="unseen">Act</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="source in shown" :key="source.id">
            <td>
              <RouterLink :to="place(source)"
                ><b>{{ source.name }}</b></RouterLink
              >
              <span v-for="own in labels.of(source.id)" :key="own" class="quiet"> {{ own }}</span>
            </td>
            <td>
              <template v-for="(sheet, index) in source.sheets" :key="sheet.id">
                <template v-if="index">, </template
                ><RouterLink :to="`/sheets/${sheet.id}`">{{ sheet.name }}</RouterLink>
              </template>
            </td>
            <td class="quiet">{{ from(source) }}</td>
            <td class="num">
              {{ grouped(source.sheets.reduce((sum, s) => sum + s.row_count, 0)) }}
            </td>
            <td class="quiet">{{ day(source.brought_in) }}</td>
            <td class="doing">
              <el-button text @click="rename(source)">Rename</el-button>
              <el-button text @click="labels.edit(source.id, source.name)">Labels</el-button>
              <el-button text @click="remove(source)">Delete</el-button>
            </td>
          </tr>
        </tbody>
      </table>
      <ListFoot v-if="sources?.length && sources.length < 12" :sections="foot" />
      <div v-if="sources && !sources.length" class="empty">
        <h2>No records yet</h2>
        <p>
          Import a CSV, XLSX, ODS or JSON file, drop it on this page, or paste a table. Drop a DOCX template
          with it to start a dispatch.
        </p>
        <FilePick label="Import data" :accept="DATA_FILES" main :busy="busy" @files="take" />
      </div>
    </div>
  </div>
</template>

<style scoped>
.doing .el-button {
  margin: 0 14px 0 0;
  padding: 0;
}
</style>
