<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useDebounceFn } from '@vueuse/core'
import { useRoute, useRouter } from 'vue-router'

import { api, ask, attempt, Refusal, type Schemas } from '../api/client'
import { count, day, shortDay } from '../api/words'
import FilterBar from '../parts/FilterBar.vue'
import RowTable from '../parts/RowTable.vue'
import StateWord from '../parts/StateWord.vue'
import TypePick from '../parts/TypePick.vue'

type Row = Schemas['RowInfo']
const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const sheet = ref<Schemas['SheetInfo']>()
const source = ref<Schemas['Source']>()
const total = ref(0)
const misfits = ref<number[]>([])
const problem = ref('')
const version = ref(0)
const filter = ref(String(route.query.filter ?? ''))
const find = ref('')
const sort = ref<{ at: number; down: boolean }>()

const asked = computed(() => ({
  filter: filter.value,
  find: find.value,
  sort: sort.value?.at,
  down: sort.value?.down ?? false,
}))

async function page(from: number, size: number) {
  const params = { path: { id: Number(props.id) }, query: { ...asked.value, from, count: size } }
  return await ask(api.GET('/api/sheets/{id}/rows', { params }))
}

async function reload() {
  try {
    const first = await page(0, 1)
    total.value = first.total
    misfits.value = first.misfits
    problem.value = ''
    version.value++
  } catch (error) {
    problem.value = error instanceof Refusal ? error.message : String(error)
  }
}

async function load() {
  sheet.value = await ask(api.GET('/api/sheets/{id}', { params: { path: { id: Number(props.id) } } }))
  const sources = await ask(api.GET('/api/sources'))
  source.value = sources.find((s) => s.id === sheet.value?.source_id)
}

onMounted(() => attempt(load).then(reload))
watch(
  () => props.id,
  () => {
    filter.value = ''
    sort.value = undefined
    void attempt(load).then(reload)
  },
)
watch(asked, useDebounceFn(reload, 200))
watch(filter, (now) => void router.replace({ query: now ? { filter: now } : {} }))

const isNumber = (at: number) => ['number', 'money', 'date'].includes(sheet.value?.columns[at]?.type ?? '')

async function setType(index: number, type: string, currency: string | null) {
  const params = { path: { id: Number(props.id), index } }
  const changed = await attempt(() =>
    ask(api.PUT('/api/sheets/{id}/columns/{index}', { params, body: { type, currency } })),
  )
  if (changed) sheet.value = changed
  await reload()
}

/** Says once how the sheet writes its dates. */
async function dates(monthFirst: boolean) {
  const params = { path: { id: Number(props.id) } }
  const changed = await attempt(() =>
    ask(api.PUT('/api/sheets/{id}/date-order', { params, body: { month_first: monthFirst } })),
  )
  if (changed) sheet.value = changed
  await reload()
}

function sortBy(at: number) {
  if (sort.value?.at !== at) sort.value = { at, down: false }
  else sort.value = sort.value.down ? undefined : { at, down: true }
}

async function dispatch() {
  const name = `${source.value?.name ?? ''} ${sheet.value?.name ?? ''}`.trim()
  const body = { name, sheet_id: Number(props.id), template_id: null, filter: filter.value }
  const made = await attempt(() => ask(api.POST('/api/dispatches', { body })))
  if (made) await router.push(`/dispatches/${made.key}/template`)
}
</script>

<template>
  <div v-if="sheet" class="screen">
    <div class="head">
      <h1>{{ source?.name }}</h1>
      <span class="quiet"
        >{{ source?.file_name }}, brought in {{ day(source?.brought_in) }},
        {{ count(sheet.row_count, 'record') }}</span
      >
      <span class="push" />
      <el-button type="primary" :disabled="!total || !!problem" @click="dispatch"
        >Make documents of {{ total.toLocaleString('en-GB') }}</el-button
      >
    </div>
    <div v-for="one in sheet.unsure" :key="one.column" class="unsure" role="alert">
      <b>{{ one.column }}</b> can be read two ways: is “{{ one.example }}”
      <el-button @click="dates(false)">{{ day(one.day_first) }}, day first</el-button>
      <el-button @click="dates(true)">{{ day(one.month_first) }}, month first</el-button>
    </div>
    <FilterBar
      v-model:filter="filter"
      v-model:find="find"
      :sheet="sheet"
      :problem="problem"
      @changed="sheet = $event"
    />
    <RowTable
      :total="total"
      :version="version"
      :fetch="async (from, size) => (await page(from, size)).rows"
      :label="`Records of ${sheet.name}`"
    >
      <template #head>
        <th class="num" style="width: 52px" />
        <th style="min-width: 120px">Last document</th>
        <th v-for="(column, at) in sheet.columns" :key="column.name" :class="{ num: isNumber(at) }">
          <button type="button" class="sort" :title="`Sort by ${column.name}`" @click="sortBy(at)">
            {{ column.name }}<template v-if="sort?.at === at"> {{ sort.down ? '↓' : '↑' }}</template>
          </button>
          <TypePick
            :column="column"
            :misfits="misfits[at] ?? 0"
            @pick="(type, currency) => setType(at, type, currency)"
          />
        </th>
      </template>
      <template #row="{ row }: { row: Row }">
        <td class="num quiet">{{ row.number }}</td>
        <td>
          <a
            v-if="row.last"
            :href="`/api/items/${row.last.item}/documents/pdf`"
            target="_blank"
            :title="row.last.error || row.last.dispatch"
          >
            <StateWord :state="row.last.state" :more="shortDay(row.last.changed)" />
          </a>
        </td>
        <td
          v-for="(cell, at) in row.cells"
          :key="at"
          :class="{ num: isNumber(at), bad: cell.wanted }"
          :title="cell.wanted ? `${cell.text}: not ${cell.wanted}` : cell.text"
        >
          {{ cell.text }}
        </td>
      </template>
    </RowTable>
    <div class="sheets">
      <RouterLink
        v-for="other in source?.sheets"
        :key="other.id"
        :to="`/sheets/${other.id}`"
        :class="{ here: other.id === sheet.id }"
        >{{ other.name }} {{ other.row_count.toLocaleString('en-GB') }}</RouterLink
      >
      <span class="push quiet"
        >{{ total.toLocaleString('en-GB') }} of {{ sheet.row_count.toLocaleString('en-GB') }}</span
      >
    </div>
  </div>
</template>

<style scoped>
.unsure {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 6px 16px;
  background: var(--attention-tint);
  border-bottom: 1px solid var(--line);
}
.sort {
  display: block;
  border: 0;
  background: none;
  padding: 0;
  cursor: pointer;
  font-weight: 500;
  color: var(--ink-2);
}
th.num .sort {
  margin-left: auto;
}
td.bad {
  background: var(--wrong-tint);
  color: var(--wrong);
}
.sheets {
  height: 34px;
  flex: none;
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 0 12px;
  border-top: 1px solid var(--line);
  font-size: 12px;
}
.sheets a {
  text-decoration: none;
}
.sheets a.here {
  font-weight: 600;
  border-bottom: 2px solid var(--accent);
}
</style>
