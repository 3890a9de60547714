<script setup lang="ts">
import { ref } from 'vue'

import type { Bench, Cause } from '../api/bench'
import { api, ask, attempt } from '../api/client'
import { said } from '../api/diagnostics'
import { count, grouped } from '../api/words'

/** Findings by cause: one line each with its records and the act that puts it right. */
const props = defineProps<{ bench: Bench; causes: Cause[] }>()
const emit = defineEmits<{ pick: [row: number]; leaveOut: [rows: number[]]; fixed: [] }>()
/** How many records of a cause are listed. */
const LISTED = 100

const open = ref<Set<string>>(new Set())
/** What stays the same while its cells are corrected one by one. */
const key = (cause: Cause) => `${cause.code} ${cause.fix ? JSON.stringify(cause.fix) : cause.message}`
function toggle(cause: Cause) {
  const now = new Set(open.value)
  if (!now.delete(key(cause))) now.add(key(cause))
  open.value = now
}
const rows = (cause: Cause) => cause.records.map((r) => r.row).filter(Boolean)

/** What is being written into cells, by cause and row. */
const drafts = ref<Record<string, string>>({})
const cell = (cause: Cause, row: number) => `${key(cause)} ${row}`

const busy = ref(false)
async function fix(work: () => Promise<unknown>) {
  busy.value = true
  const done = await attempt(work)
  busy.value = false
  if (done === undefined) return
  drafts.value = {}
  emit('fixed')
}

/** Gives a column the currency that it is printed in. */
function setCurrency(column: string, currency: string) {
  const id = props.bench.sheet_id
  const index = props.bench.columns.findIndex((c) => c.name === column)
  const own = props.bench.columns[index]
  if (!id || !own) return
  const body = {
    name: own.name,
    type: 'money',
    currency,
    formula: own.formula ?? null,
    locale: own.locale ?? null,
    at: null,
  }
  const params = { path: { id, index } }
  void fix(() => ask(api.PUT('/api/sheets/{id}/columns/{index}', { params, body })))
}

/** Writes a cell anew. */
function correct(row: number, column: number, text: string) {
  const id = props.bench.sheet_id
  if (!id) return
  const body = {
    what: 'Correct a cell',
    cells: [{ row, column, text }],
    added: [],
    removed: [],
    moved: null,
  }
  void fix(() => ask(api.POST('/api/sheets/{id}/rows', { params: { path: { id } }, body })))
}
</script>

<template>
  <ul class="causes" aria-label="Findings by cause">
    <li v-for="cause in causes" :key="key(cause)">
      <div class="cause">
        <button
          type="button"
          class="count"
          :aria-expanded="open.has(key(cause))"
          :aria-label="`${count(cause.records.length, 'record')}: ${said(cause)}`"
          @click="toggle(cause)"
        >
          <b>{{ grouped(cause.records.length) }}</b> {{ cause.records.length === 1 ? 'record' : 'records' }}
          <span aria-hidden="true">{{ open.has(key(cause)) ? '▾' : '▸' }}</span>
        </button>
        <div class="why">
          {{ said(cause) }}
          <span v-for="one in cause.placeholders.slice(0, 4)" :key="one" class="code name">{{ one }}</span>
        </div>
        <div class="acts">
          <el-button
            v-if="cause.fix?.act === 'set-currency'"
            :disabled="busy"
            @click="setCurrency(cause.fix.column, cause.fix.currency)"
            >Set {{ cause.fix.column }} to {{ cause.fix.currency }}</el-button
          >
          <el-button v-else-if="cause.fix?.act === 'correct-cells'" @click="toggle(cause)"
            >Correct {{ cause.fix.column }}</el-button
          >
          <el-button v-if="rows(cause).length" text @click="emit('leaveOut', rows(cause))"
            >Leave {{ rows(cause).length === 1 ? 'it' : grouped(rows(cause).length) }} out</el-button
          >
        </div>
      </div>
      <ul v-if="open.has(key(cause))" class="records">
        <li v-for="record in cause.records.slice(0, LISTED)" :key="record.row">
          <button v-if="record.row" type="button" class="plain" @click="emit('pick', record.row)">
            {{ record.label }}
          </button>
          <template v-else>{{ record.label }}</template>
          <span v-if="record.row" class="quiet">row {{ record.row }}</span>
          <el-input
            v-if="cause.fix?.act === 'correct-cells' && record.row"
            class="cell"
            :model-value="drafts[cell(cause, record.row)] ?? record.text ?? ''"
            :aria-label="`${cause.fix.column} of ${record.label}`"
            :disabled="busy"
            @update:model-value="(text: string) => (drafts[cell(cause, record.row)] = text)"
            @change="
              (text: string) =>
                cause.fix?.act === 'correct-cells' && correct(record.row, cause.fix.index, text)
            "
          />
          <span v-if="record.message !== cause.message" class="said">{{ record.message }}</span>
        </li>
        <li v-if="cause.records.length > LISTED" class="quiet">
          and {{ grouped(cause.records.length - LISTED) }} more
        </li>
      </ul>
    </li>
  </ul>
</template>

<style scoped>
.causes,
.records {
  list-style: none;
  margin: 0;
  padding: 0;
}
.causes > li {
  border-top: 1px solid var(--line);
  padding: 6px 0;
}
.cause {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: baseline;
}
.count {
  flex: none;
  min-width: 92px;
  min-height: 24px;
  padding: 0;
  border: 0;
  background: none;
  text-align: left;
  cursor: pointer;
  color: var(--wrong);
}
.why {
  flex: 1 1 220px;
  min-width: 0;
  overflow-wrap: anywhere;
}
.why .name {
  margin-right: 6px;
}
.acts {
  display: flex;
  gap: 8px;
  flex: none;
  margin-left: auto;
}
.records {
  margin: 4px 0 4px 92px;
}
.records li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
  align-items: center;
  min-height: 28px;
}
.cell {
  width: 220px;
}
.said {
  flex-basis: 100%;
  color: var(--ink-2);
  font-size: 12px;
}
.plain {
  border: 0;
  background: none;
  padding: 0;
  min-height: 24px;
  cursor: pointer;
  text-decoration: underline dotted;
}
</style>
