<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router'

import { api, ask, attempt, saveFrom, type Schemas } from '../api/client'
import { useRuns } from '../api/runs'
import { count, grouped, moment, stateWord } from '../api/words'
import DayRange from '../parts/DayRange.vue'
import StateWord from '../parts/StateWord.vue'

/** Everything that was ever made: found by any word of it, filtered, taken out. */
type Found = Schemas['FoundDocument']
const PAGE = 100
const STATES = [
  'delivered',
  'made',
  'blocked',
  'scheduled',
  'signing',
  'to send',
  'uncertain',
  'failed',
  'withdrawn',
]

const route = useRoute()
const router = useRouter()
const runs = useRuns()
const found = ref<Found[]>()
const total = ref(0)
const more = ref(false)
const chosen = ref(new Set<number>())
const dispatches = ref<Schemas['DispatchInfo'][]>([])
const text = ref(String(route.query.find ?? ''))

/** What is asked stands in the address. */
const asked = computed(() => ({
  find: String(route.query.find ?? ''),
  dispatch: String(route.query.dispatch ?? ''),
  state: String(route.query.state ?? ''),
  from: String(route.query.from ?? ''),
  to: String(route.query.to ?? ''),
  proofs: route.query.proofs === 'true',
}))
const narrowed = computed(() => Object.values(asked.value).some(Boolean))
const go = (part: Record<string, string | undefined>) => {
  const query = { ...route.query, ...part }
  for (const key of Object.keys(query)) if (!query[key]) delete query[key]
  return router.replace({ path: '/documents', query })
}
// Whoever has followed a link meanwhile is not called back.
let left = false
onBeforeRouteLeave(() => void (left = true))
watch(
  text,
  useDebounceFn((find: string) => left || go({ find: find.trim() || undefined }), 250),
)

let turn = 0
async function load() {
  const mine = ++turn
  const query = { ...asked.value, before: 0, count: PAGE }
  const got = await attempt(() => ask(api.GET('/api/documents', { params: { query } })))
  if (!got || mine !== turn) return
  found.value = got.documents
  total.value = got.count
  more.value = got.more
  chosen.value = new Set([...chosen.value].filter((id) => got.documents.some((one) => one.item === id)))
}
async function loadMore() {
  const before = found.value?.at(-1)?.item ?? 0
  const query = { ...asked.value, before, count: PAGE }
  const got = await attempt(() => ask(api.GET('/api/documents', { params: { query } })))
  if (got) found.value = [...(found.value ?? []), ...got.documents]
}
onMounted(async () => {
  await load()
  dispatches.value = (await attempt(() => ask(api.GET('/api/dispatches')))) ?? []
})
watch(asked, load)
// A run tells of every change of its documents.
watch(() => runs.runs, useDebounceFn(load, 600, { maxWait: 3000 }), { deep: true })

const all = computed(() => !!found.value?.length && found.value.every((one) => chosen.value.has(one.item)))
const toggleAll = () => (chosen.value = new Set(all.value ? [] : found.value?.map((one) => one.item)))
function toggle(id: number) {
  const own = new Set(chosen.value)
  if (!own.delete(id)) own.add(id)
  chosen.value = own
}
const busy = ref('')
async function take(kind: 'zip' | 'pdf') {
  busy.value = kind
  await attempt(() => saveFrom(`/api/documents.${kind}`, { items: [...chosen.value] }))
  busy.value = ''
}
</script>

<template>
  <div class="screen">
    <div class="head">
      <h1>Documents</h1>
      <span v-if="found" class="quiet">{{ grouped(total) }}{{ more ? ' or more' : '' }}</span>
      <span class="push" />
      <RouterLink to="/personal-data">Personal data</RouterLink>
      <el-button :disabled="!chosen.size" :loading="busy === 'zip'" @click="take('zip')"
        >Download ZIP{{ chosen.size ? ` of ${chosen.size}` : '' }}</el-button
      >
      <el-button :disabled="!chosen.size" :loading="busy === 'pdf'" @click="take('pdf')"
        >As one PDF</el-button
      >
    </div>
    <div class="filter-row" role="search" aria-label="Documents">
      <el-input
        v-model="text"
        class="find"
        clearable
        aria-label="Find"
        placeholder="Name, recipient or any value of the record"
      />
      <el-select
        :model-value="asked.dispatch || undefined"
        clearable
        filterable
        placeholder="All dispatches"
        aria-label="Dispatch"
        @change="(v: string | undefined) => go({ dispatch: v })"
      >
        <el-option v-for="one in dispatches" :key="one.key" :value="one.key" :label="one.name" />
      </el-select>
      <el-select
        :model-value="asked.state || undefined"
        clearable
        placeholder="Any state"
        aria-label="State"
        @change="(v: string | undefined) => go({ state: v })"
      >
        <el-option v-for="one in STATES" :key="one" :value="one" :label="stateWord(one)" />
      </el-select>
      <DayRange :from="asked.from" :to="asked.to" @change="go" />
      <el-checkbox :model-value="asked.proofs" @change="(v) => go({ proofs: v ? 'true' : undefined })"
        >Proofs</el-checkbox
      >
    </div>
    <div class="body" tabindex="0" aria-label="List of documents">
      <table v-if="found?.length" class="list">
        <thead>
          <tr>
            <th style="width: 44px">
              <input type="checkbox" :checked="all" aria-label="Select all" @change="toggleAll" />
            </th>
            <th>Document</th>
            <th>Record</th>
            <th style="width: 170px">Dispatch</th>
            <th style="width: 158px">State</th>
            <th>Recipients</th>
            <th class="num" style="width: 60px">Pages</th>
            <th style="width: 120px">Created</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in found" :key="one.item">
            <td>
              <input
                type="checkbox"
                :checked="chosen.has(one.item)"
                :aria-label="`Select ${one.file_name || `document ${one.item}`}`"
                @change="toggle(one.item)"
              />
            </td>
            <td :title="one.file_name">
              <RouterLink :to="`/documents/${one.item}`"
                ><b>{{ one.file_name || `Document ${one.item}` }}</b></RouterLink
              >
              <span v-if="one.version > 1" class="quiet">, version {{ one.version }}</span>
            </td>
            <td :title="one.label">{{ one.label }}</td>
            <td :title="one.dispatch_name">{{ one.dispatch_name }}</td>
            <td>
              <span v-if="one.removed" class="say att">Removed</span>
              <StateWord v-else :state="one.state" />
            </td>
            <td class="quiet" :title="one.recipients">{{ one.recipients }}</td>
            <td class="num">{{ one.pages ?? '' }}</td>
            <td class="quiet">{{ moment(one.made) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="found && found.length < total">
        <el-button @click="loadMore">Show more</el-button>
        <span class="quiet">
          {{ count(found.length, 'document') }} of {{ grouped(total)
          }}{{ more ? ' or more' : '' }} shown</span
        >
      </p>
      <div v-if="found && !found.length" class="empty">
        <h2>{{ narrowed ? 'No documents match' : 'No documents yet' }}</h2>
        <p v-if="narrowed">
          Use the beginning of a name, an address or any value of the record, or remove a filter.
        </p>
        <p v-else>Run a dispatch: each document it creates can be found here from then on.</p>
        <el-button v-if="narrowed" @click="((text = ''), router.replace('/documents'))">Show all</el-button>
        <RouterLink v-else to="/dispatches">Go to Dispatches</RouterLink>
      </div>
    </div>
  </div>
</template>

<style scoped>
.find {
  width: 300px;
}
.filter-row .el-select {
  width: 170px;
}
</style>
