<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'

import type { Bench } from '../../api/bench'
import { api, ask, attempt, type Schemas, upload } from '../../api/client'
import { clock, count, DATA_FILES, grouped, shortDay } from '../../api/words'
import FilePick from '../../parts/FilePick.vue'
import FormulaInput from '../../parts/FormulaInput.vue'
import PictureFolder from '../../parts/PictureFolder.vue'
import RowTable from '../../parts/RowTable.vue'

const props = defineProps<{
  bench: Bench
  at: number
  change: (work: (bench: Bench) => void, soon?: boolean) => void
}>()
defineEmits<{ pick: [number] }>()
const sources = ref<Schemas['Source'][]>([])
const load = () => attempt(async () => (sources.value = await ask(api.GET('/api/sources'))))
onMounted(load)
const sheets = computed(() => sources.value.flatMap((s) => s.sheets.map((h) => ({ ...h, source: s.name }))))
const kept = computed(() => sheets.value.find((s) => s.id === props.bench.sheet_id)?.filters ?? [])

const CHOICES = [
  ['all', 'All records'],
  ['unserved', 'Not sent yet by this dispatch'],
  ['failed-last', 'Failed last time'],
  ['changed', 'Changed since last sent'],
] as const
const callable = computed(() =>
  props.bench.columns.filter((c) => c.type !== 'record' && c.type !== 'list').map((c) => c.name),
)

/** Rows that are ticked, to be the only ones. */
const ticked = ref<number[]>([])
watch(
  () => props.bench.sheet_id,
  () => (ticked.value = []),
)
const tick = (row: number, on: boolean) =>
  (ticked.value = on ? [...ticked.value, row] : ticked.value.filter((own) => own !== row))
function pickTicked() {
  const rows = [...ticked.value].sort((a, b) => a - b)
  props.change((b) => (b.setup.picked = rows))
  ticked.value = []
}

async function take(files: File[]) {
  const made = await attempt(() => ask(api.POST('/api/sources', upload(files))))
  if (!made) return
  await load()
  props.change((b) => (b.sheet_id = made.sheets[0]?.id ?? null))
}
</script>

<template>
  <div class="fill">
    <div class="title">
      <h2>Records</h2>
      <span class="quiet">One document is created per selected record.</span>
    </div>
    <div class="choose">
      <label class="field-label wide"
        >Sheet<span class="sheet"
          ><el-select
            :model-value="bench.sheet_id ?? undefined"
            placeholder="Choose a sheet"
            aria-label="Sheet"
            @change="
              (id: number) =>
                change((b) => ((b.sheet_id = id), (b.setup.left_out = []), (b.setup.picked = [])))
            "
          >
            <el-option
              v-for="one in sheets"
              :key="one.id"
              :value="one.id"
              :label="`${one.source}, ${one.name}`" /></el-select
          ><FilePick label="Import data" :accept="DATA_FILES" @files="take" /></span
      ></label>
      <label class="field-label"
        >Include<el-select
          :model-value="bench.setup.choose"
          aria-label="Include"
          @change="(now: Bench['setup']['choose']) => change((b) => (b.setup.choose = now))"
        >
          <el-option
            v-for="[value, label] in CHOICES"
            :key="value"
            :value="value"
            :label="label" /></el-select
      ></label>
      <label class="field-label"
        >Record name<el-select
          :model-value="bench.setup.label || 'names'"
          aria-label="Record name"
          @change="(now: string) => change((b) => (b.setup.label = now === 'names' ? '' : now))"
        >
          <el-option value="names" label="Automatic" />
          <el-option v-for="column in callable" :key="column" :value="column" :label="column" /></el-select
      ></label>
      <label class="field-label wide"
        >Filter<FormulaInput
          :model-value="bench.setup.filter"
          :sheet="bench.sheet_id ?? undefined"
          label="Filter"
          placeholder="e.g. days overdue > 30"
          @update:model-value="(text: string) => change((b) => (b.setup.filter = text), true)"
      /></label>
    </div>
    <div v-if="kept.length" class="saved">
      <span class="quiet">Saved filters:</span>
      <button
        v-for="filter in kept"
        :key="filter.id"
        type="button"
        class="kept"
        :class="{ on: filter.condition === bench.setup.filter }"
        :title="filter.condition"
        @click="change((b) => (b.setup.filter = filter.condition === b.setup.filter ? '' : filter.condition))"
      >
        {{ filter.name }}
      </button>
    </div>
    <PictureFolder
      v-if="bench.sheet_id"
      :dispatch="bench.key"
      :sheet="bench.sheet_id"
      @changed="change(() => undefined)"
    />
    <p v-if="bench.filter_problem" class="problem" role="alert">{{ bench.filter_problem }}</p>
    <p class="quiet">
      {{ grouped(bench.records.length) }} of {{ count(bench.row_count, 'record')
      }}<template v-if="bench.setup.left_out.length"
        >, {{ bench.setup.left_out.length }} excluded manually
        <el-button text @click="change((b) => (b.setup.left_out = []))">Include again</el-button></template
      ><template v-if="bench.setup.picked.length"
        >, {{ bench.setup.picked.length }} picked
        <el-button text @click="change((b) => (b.setup.picked = []))">Include all</el-button></template
      >
      <el-button v-if="ticked.length" @click="pickTicked">Use only these {{ ticked.length }}</el-button>
    </p>
    <RowTable
      v-if="bench.records.length"
      :total="bench.records.length"
      :version="bench.records"
      :fetch="async (from, size) => bench.records.slice(from, from + size)"
      label="Selected records"
      @open="(row: Schemas['RecordInfo']) => $emit('pick', row.row)"
    >
      <template #head>
        <th style="width: 34px"><span class="unseen">Pick</span></th>
        <th class="num" style="width: 60px">Row</th>
        <th>Record</th>
        <th style="width: 150px">Last sent</th>
        <th style="width: 110px"><span class="unseen">Act</span></th>
      </template>
      <template #row="{ row, index }">
        <td>
          <el-checkbox
            :model-value="ticked.includes(row.row)"
            :aria-label="`Pick ${row.label}`"
            @change="(on) => tick(row.row, Boolean(on))"
          />
        </td>
        <td class="num quiet">{{ row.row }}</td>
        <td>
          <button type="button" class="plain" :class="{ here: index === at }" @click="$emit('pick', row.row)">
            {{ row.label }}
          </button>
        </td>
        <td class="quiet">
          <RouterLink v-if="row.served" :to="`/runs/${row.served.run}`"
            >{{ shortDay(row.served.at) }} {{ clock(row.served.at) }}, run {{ row.served.run }}</RouterLink
          >
        </td>
        <td><el-button text @click="change((b) => b.setup.left_out.push(row.row))">Leave out</el-button></td>
      </template>
    </RowTable>
  </div>
</template>

<style scoped>
.fill {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.title {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: baseline;
  margin-bottom: 10px;
}
.choose {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(150px, 1fr));
  gap: 8px 10px;
  align-items: end;
  margin-bottom: 8px;
}
.sheet {
  display: flex;
  gap: 8px;
}
.wide {
  grid-column: 1 / -1;
}
.saved {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  margin-bottom: 8px;
}
.plain {
  border: 0;
  background: none;
  padding: 0;
  cursor: pointer;
}
.plain.here {
  font-weight: 600;
}
</style>
