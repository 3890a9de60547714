<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { type Schemas } from '../api/client'
import { useSheet, type Row } from '../api/sheet'
import { count, day, grouped } from '../api/words'
import CellGrid from '../parts/CellGrid.vue'
import ColumnPanel from '../parts/ColumnPanel.vue'
import FilesPanel from '../parts/FilesPanel.vue'
import FilterBar from '../parts/FilterBar.vue'
import NewerPanel from '../parts/NewerPanel.vue'
import RelationPanel from '../parts/RelationPanel.vue'
import RowPanel from '../parts/RowPanel.vue'
import SheetColumns from '../parts/SheetColumns.vue'
import SheetHead from '../parts/SheetHead.vue'
import SheetTools from '../parts/SheetTools.vue'
import { enter } from '../router'

const props = defineProps<{ id: string; view?: string; which?: string }>()
const route = useRoute()
const router = useRouter()
const it = useSheet(toRef(() => Number(props.id)))
const { sheet, source, total, problem, reading, version, filter, find } = it
const grid = ref<InstanceType<typeof CellGrid>>()
const here = computed(() => `/sheets/${props.id}`)

filter.value = String(route.query.filter ?? '')
void enter(it.load)
watch(filter, (now) => void router.replace({ query: now ? { filter: now } : {} }))

const TITLES: Record<string, string> = {
  column: 'Column',
  relations: 'Relations',
  newer: 'Update from file',
  files: 'Files',
  row: 'Row',
}
const columnAt = computed(() =>
  props.which === undefined || props.which === 'new' ? undefined : Number(props.which),
)
const close = () => router.push({ path: here.value, query: route.query })
const show = (view: string) => router.push({ path: `${here.value}/${view}`, query: route.query })

const chosen = computed(() => grid.value?.chosen ?? 1)
const kept = (changed: Schemas['SheetInfo']) => (sheet.value = changed)
/** Takes the names of the columns from a row. */
async function header(row: number) {
  // The row is none afterwards: nothing may ask for it any more.
  await close()
  await it.header(row)
}
const open = (row: Row) => show(`row/${row.number}`)
</script>

<template>
  <div v-if="sheet" class="screen">
    <SheetHead :it="it" @newer="show('newer')" />
    <div v-for="one in sheet.unsure" :key="one.column" class="unsure" role="alert">
      <b>{{ one.column }}</b> has ambiguous dates. “{{ one.example }}” means:
      <el-button @click="it.dates(false)">{{ day(one.day_first) }}, day first</el-button>
      <el-button @click="it.dates(true)">{{ day(one.month_first) }}, month first</el-button>
    </div>
    <div v-if="sheet.passed_over?.length" class="unsure" role="status">
      <span class="above" :title="sheet.passed_over.join('\n')"
        >Header row found after {{ count(sheet.passed_over.length, 'row') }} that
        {{ sheet.passed_over.length === 1 ? 'was' : 'were' }} skipped: “{{
          sheet.passed_over.join('”, “')
        }}”</span
      >
      <el-button @click="it.acceptHeader()">Looks right</el-button>
    </div>
    <div v-if="sheet.notes?.length" class="unsure notes" role="status">
      <ul>
        <li v-for="note in sheet.notes" :key="note">{{ note }}</li>
      </ul>
      <el-button @click="it.acceptHeader()">Dismiss</el-button>
    </div>
    <FilterBar
      v-model:filter="filter"
      v-model:find="find"
      :sheet="sheet"
      :problem="problem"
      @changed="kept"
    />
    <SheetTools
      :it="it"
      :chosen="chosen"
      :said="grid?.said ?? 'row'"
      @add="grid?.add()"
      @remove="grid?.remove()"
      @fill="grid?.fill()"
      @show="show"
    />
    <div class="work" :aria-busy="reading">
      <p v-if="reading" class="reading" role="status">Loading {{ count(sheet.row_count, 'record') }}…</p>
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
          <th class="num" role="columnheader" style="width: 52px"><span class="unseen">Row</span></th>
          <th role="columnheader" style="min-width: 120px">Last document</th>
          <SheetColumns :it="it" :here="here" @show="show" />
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
        <FilesPanel
          v-else-if="view === 'files'"
          :sheet="Number(id)"
          :version="version"
          @changed="version++"
        />
        <RowPanel
          v-else-if="view === 'row'"
          :sheet="Number(id)"
          :row="Number(which)"
          :version="version"
          :named="source?.kind === 'workbook'"
          @header="header"
        />
      </aside>
    </div>
    <div class="sheets">
      <RouterLink
        v-for="other in source?.sheets"
        :key="other.id"
        :to="`/sheets/${other.id}`"
        :class="{ here: other.id === sheet.id }"
        >{{ other.name }} {{ grouped(other.row_count) }}</RouterLink
      >
      <span class="push quiet"
        ><template v-if="!reading && total !== sheet.row_count">{{ grouped(total) }} of </template
        >{{ count(sheet.row_count, 'record') }}</span
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
.notes ul {
  flex: 1;
  margin: 0;
  padding: 0 0 0 16px;
  max-height: 90px;
  overflow: auto;
}
.above {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.work {
  flex: 1;
  min-height: 0;
  display: flex;
  position: relative;
}
/* Only where it takes a while. */
.reading {
  position: absolute;
  z-index: 3;
  top: 56px;
  left: 16px;
  margin: 0;
  padding: 6px 12px;
  border-left: 3px solid var(--accent);
  background: var(--paper);
  animation: appear 0s 0.3s both;
}
@keyframes appear {
  from {
    visibility: hidden;
  }
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
