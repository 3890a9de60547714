<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { useSheet, type Row } from '../api/sheet'
import { count, day } from '../api/words'
import CellGrid from '../parts/CellGrid.vue'
import ColumnPanel from '../parts/ColumnPanel.vue'
import FilterBar from '../parts/FilterBar.vue'
import NewerPanel from '../parts/NewerPanel.vue'
import RelationPanel from '../parts/RelationPanel.vue'
import RowPanel from '../parts/RowPanel.vue'
import TypePick from '../parts/TypePick.vue'

const props = defineProps<{ id: string; view?: string; which?: string }>()
const route = useRoute()
const router = useRouter()
const it = useSheet(toRef(() => Number(props.id)))
const { sheet, source, total, misfits, undo, redo, problem, version, filter, find, sort, only } = it
const grid = ref<InstanceType<typeof CellGrid>>()
const here = computed(() => `/sheets/${props.id}`)

filter.value = String(route.query.filter ?? '')
void attempt(it.load)
watch(filter, (now) => void router.replace({ query: now ? { filter: now } : {} }))

const wrong = computed(() => misfits.value.reduce((sum, one) => sum + one, 0))
const isNumber = (at: number) => ['number', 'money', 'date'].includes(sheet.value?.columns[at]?.type ?? '')
const sorted = (at: number) => {
  const place = sort.value.findIndex((s) => Math.abs(s) === at + 1)
  if (place < 0) return ''
  return `${(sort.value[place] ?? 0) > 0 ? ' ↑' : ' ↓'}${sort.value.length > 1 ? place + 1 : ''}`
}
const TITLES: Record<string, string> = {
  column: 'Column',
  relations: 'Relations',
  newer: 'Bring in a newer file',
  row: 'Row',
}
const columnAt = computed(() =>
  props.which === undefined || props.which === 'new' ? undefined : Number(props.which),
)
const close = () => router.push({ path: here.value, query: route.query })
const show = (view: string) => router.push({ path: `${here.value}/${view}`, query: route.query })

async function setType(index: number, type: string, currency: string | null) {
  const own = sheet.value?.columns[index]
  if (own) await it.setColumn(index, { name: own.name, type, currency, locale: own.locale ?? null })
}

async function dispatch() {
  const name = `${source.value?.name ?? ''} ${sheet.value?.name ?? ''}`.trim()
  const body = { name, sheet_id: Number(props.id), template_id: null, filter: filter.value }
  const made = await attempt(() => ask(api.POST('/api/dispatches', { body })))
  if (made) await router.push(`/dispatches/${made.key}/template`)
}

const chosen = computed(() => grid.value?.chosen ?? 1)
const kept = (changed: Schemas['SheetInfo']) => (sheet.value = changed)
const open = (row: Row) => show(`row/${row.number}`)
</script>

<template>
  <div v-if="sheet" class="screen">
    <div class="head">
      <h1>{{ source?.name }}</h1>
      <span class="quiet from" :title="source?.file_name"
        >{{ source?.file_name }}, brought in {{ day(source?.brought_in) }}</span
      >
      <span class="push" />
      <el-button @click="show('newer')">Bring in again</el-button>
      <el-dropdown trigger="click">
        <el-button>Export</el-button>
        <template #dropdown>
          <el-dropdown-menu>
            <el-dropdown-item v-for="format in ['xlsx', 'csv', 'ods', 'json']" :key="format">
              <a :href="it.exported(format)" class="plain" download
                >{{ count(total, 'row') }} as {{ format.toUpperCase() }}</a
              >
            </el-dropdown-item>
          </el-dropdown-menu>
        </template>
      </el-dropdown>
      <el-button type="primary" :disabled="!total || !!problem" @click="dispatch"
        >Make documents of {{ total.toLocaleString('en-GB') }}</el-button
      >
    </div>
    <div v-for="one in sheet.unsure" :key="one.column" class="unsure" role="alert">
      <b>{{ one.column }}</b> can be read two ways: is “{{ one.example }}”
      <el-button @click="it.dates(false)">{{ day(one.day_first) }}, day first</el-button>
      <el-button @click="it.dates(true)">{{ day(one.month_first) }}, month first</el-button>
    </div>
    <FilterBar
      v-model:filter="filter"
      v-model:find="find"
      :sheet="sheet"
      :problem="problem"
      @changed="kept"
    />
    <div class="tools">
      <el-button
        :disabled="!undo"
        :title="undo ? `Undo: ${undo} (Ctrl Z)` : 'Nothing to undo'"
        @click="it.step(false)"
        >Undo</el-button
      >
      <el-button :disabled="!redo" :title="redo ? `Do again: ${redo} (Ctrl Y)` : ''" @click="it.step(true)"
        >Do again</el-button
      >
      <span class="gap" />
      <el-button @click="grid?.add()">Add row</el-button>
      <el-button :disabled="!total" @click="grid?.remove()">Delete {{ count(chosen, 'row') }}</el-button>
      <el-button :disabled="chosen < 2" title="Ctrl D" @click="grid?.fill()">Fill down</el-button>
      <span class="gap" />
      <el-button @click="show('column/new')">Add column</el-button>
      <el-button @click="show('relations')">{{
        sheet.related.length ? count(sheet.related.length, 'relation') : 'Relations'
      }}</el-button>
      <span class="push" />
      <button
        v-if="wrong || only !== undefined"
        type="button"
        class="say wrong"
        @click="only = only === undefined ? 0 : undefined"
      >
        {{ only === undefined ? `${count(wrong, 'cell')} that don’t fit` : 'Show all rows' }}
      </button>
    </div>
    <div class="work">
      <CellGrid
        ref="grid"
        :sheet="sheet"
        :total="total"
        :version="version"
        :fetch="it.rows"
        @edit="it.edit"
        @undo="it.step(false)"
        @redo="it.step(true)"
        @open="open"
      >
        <template #head>
          <th class="num" style="width: 52px" />
          <th style="min-width: 120px">Last document</th>
          <th v-for="(column, at) in sheet.columns" :key="column.name" :class="{ num: isNumber(at) }">
            <span class="name">
              <button
                type="button"
                class="sort"
                :title="`Sort by ${column.name}; with Shift beside what is sorted already`"
                @click="it.sortBy(at, $event.shiftKey)"
              >
                {{ column.name }}{{ sorted(at) }}
              </button>
              <button
                type="button"
                class="more"
                :aria-label="`Change ${column.name}`"
                :title="`Change ${column.name}`"
                @click="show(`column/${at}`)"
              >
                ⁝
              </button>
            </span>
            <small v-if="column.formula" :title="column.formula" :class="{ problem: misfits[at] }">
              <button type="button" class="sort" @click="show(`column/${at}`)">= {{ column.type }}</button>
              <template v-if="misfits[at]"
                >,
                <button type="button" class="sort" @click="only = at + 1">
                  {{ misfits[at] }} wrong
                </button></template
              >
            </small>
            <TypePick
              v-else
              :column="column"
              :misfits="misfits[at] ?? 0"
              @pick="(type, currency) => setType(at, type, currency)"
              @wrong="only = at + 1"
            />
          </th>
          <th v-for="one in sheet.related" :key="`related ${one.name}`">
            <RouterLink :to="`${here}/relations`">{{ one.name }}</RouterLink>
            <small>{{ one.many ? 'list' : 'record' }} of {{ one.other_name }}</small>
          </th>
        </template>
      </CellGrid>
      <aside v-if="view" class="panel" :aria-label="TITLES[view]">
        <div class="title">
          <h2>{{ view === 'column' && columnAt === undefined ? 'New column' : TITLES[view] }}</h2>
          <span class="push" />
          <button type="button" class="close" aria-label="Close" @click="close">×</button>
        </div>
        <ColumnPanel v-if="view === 'column'" :it="it" :index="columnAt" @close="close" />
        <RelationPanel v-else-if="view === 'relations'" :it="it" />
        <NewerPanel v-else-if="view === 'newer'" :it="it" @close="close" />
        <RowPanel v-else-if="view === 'row'" :sheet="Number(id)" :row="Number(which)" :version="version" />
      </aside>
    </div>
    <div class="sheets">
      <RouterLink
        v-for="other in source?.sheets"
        :key="other.id"
        :to="`/sheets/${other.id}`"
        :class="{ here: other.id === sheet.id }"
        >{{ other.name }} {{ other.row_count.toLocaleString('en-GB') }}</RouterLink
      >
      <span class="push quiet"
        ><template v-if="total !== sheet.row_count">{{ total.toLocaleString('en-GB') }} of </template
        >{{ count(sheet.row_count, 'record') }}</span
      >
    </div>
  </div>
</template>

<style scoped>
.from {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-width: 0;
}
.unsure {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 6px 16px;
  background: var(--attention-tint);
  border-bottom: 1px solid var(--line);
}
.tools {
  flex: none;
  display: flex;
  align-items: center;
  gap: 6px;
  padding: 4px 12px;
  border-bottom: 1px solid var(--line);
}
.tools .el-button {
  margin: 0;
  padding: 0 8px;
  height: 24px;
  font-size: 12px;
}
.tools .say {
  border: 0;
  cursor: pointer;
}
.gap {
  width: 10px;
}
.work {
  flex: 1;
  min-height: 0;
  display: flex;
}
.panel {
  flex: none;
  width: 340px;
  overflow: auto;
  padding: 12px 16px;
  border-left: 1px solid var(--line);
  background: var(--paper);
}
.title {
  display: flex;
  align-items: center;
  margin-bottom: 10px;
}
h2 {
  margin: 0;
  font-size: 16px;
}
.close {
  border: 0;
  background: none;
  font-size: 18px;
  line-height: 1;
  cursor: pointer;
  color: inherit;
}
.name {
  display: flex;
  gap: 4px;
}
th.num .name {
  justify-content: flex-end;
}
.sort,
.more {
  border: 0;
  background: none;
  padding: 0;
  cursor: pointer;
  font-weight: 500;
  color: inherit;
}
.more {
  padding: 0 2px;
  opacity: 0.6;
}
.more:hover,
.more:focus-visible {
  opacity: 1;
}
small {
  display: block;
  font-size: 11px;
  font-weight: 400;
}
small .sort {
  font-weight: 400;
}
.plain {
  color: inherit;
  text-decoration: none;
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
