<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'

import { takesText, typed } from '../api/edits'
import type { Edits, Row, SheetInfo } from '../api/sheet'
import { count } from '../api/words'
import { useArea } from './area'
import { useBlock } from './block'
import { useDraft } from './draft'
import { gridKeys } from './grid-keys'
import LastDocument from './LastDocument.vue'
import { ROW, useRows } from './rows'

/** A sheet to work in: cells are chosen, written, copied, pasted and filled. */
const props = defineProps<{
  sheet: SheetInfo
  total: number
  version: unknown
  fetch: (from: number, count: number) => Promise<Row[]>
}>()
const emit = defineEmits<{ edit: [Edits]; undo: []; redo: []; open: [Row] }>()

const box = ref<HTMLElement>()
const { top, first, last, shown, row: rowAt, reveal } = useRows<Row>(props, box)

const { at, to, area, within, set, go, all } = useArea(() => ({
  rows: props.total,
  columns: props.sheet.columns.length + props.sheet.related.length,
}))
const chosen = computed(() => area.value.bottom - area.value.top + 1)
const isNumber = (column: number) =>
  ['number', 'money', 'percent', 'date', 'time'].includes(props.sheet.columns[column]?.type ?? '')
const text = (row: number, column: number) => typed(rowAt(row)?.cells[column])

/** Goes some cells further and brings the cell into view. */
function move(rows: number, columns: number, stretch = false) {
  go(rows, columns, stretch)
  const { row, column } = to.value
  reveal(row)
  void nextTick(() =>
    box.value
      ?.querySelector<HTMLElement>(`[data-at="${row} ${column}"]`)
      ?.scrollIntoView({ block: 'nearest', inline: 'nearest' }),
  )
}

function choose(row: number, column: number, stretch: boolean) {
  commit()
  set(row, column, stretch)
}

/** Chooses a whole row, or all up to it, and shows what is in it. */
function chooseRow(index: number, row: Row, stretch: boolean) {
  commit()
  set(index, 0, stretch)
  to.value = { row: index, column: props.sheet.columns.length + props.sheet.related.length - 1 }
  emit('open', row)
}

const { draft, begin, commit, callOff } = useDraft({
  sheet: () => props.sheet,
  at,
  number: (row) => rowAt(row)?.number,
  text,
  box,
  move,
  change: (edits) => emit('edit', edits),
})

const block = useBlock({
  sheet: () => props.sheet,
  total: () => props.total,
  fetch: (from, most) => props.fetch(from, most),
  known: rowAt,
  area,
  typing: () => draft.value !== undefined,
  change: (edits) => emit('edit', edits),
})

/** Takes what is on the clipboard, and chooses where it came to stand. */
async function paste(event: ClipboardEvent) {
  const { top, left } = area.value
  const taken = await block.paste(event)
  if (!taken) return
  set(top, left)
  to.value = { row: top + taken.rows - 1, column: left + taken.columns - 1 }
}

/** Moves the rows one further up or down, and goes with them. */
async function shift(by: 1 | -1) {
  if (!(await block.shift(by))) return
  at.value.row += by
  to.value.row += by
}

const keys = gridKeys({
  typing: () => draft.value !== undefined,
  move,
  shift: (by) => void shift(by),
  begin,
  clear: () => void block.clear(),
  fill: () => void block.fill(),
  all,
  one: () => set(at.value.row, at.value.column),
  undo: () => emit('undo'),
  redo: () => emit('redo'),
})

/** Adds an empty row below, and goes there. */
function add() {
  const row = rowAt(area.value.bottom)
  emit('edit', { what: 'Add row', added: [{ after: row?.number ?? null, cells: [] }] })
  at.value = { row: row ? area.value.bottom + 1 : 0, column: 0 }
  to.value = { ...at.value }
  box.value?.focus()
}

async function remove() {
  const removed = (await block.rows()).map((row) => row.number)
  emit('edit', { what: `Delete ${count(removed.length, 'row')}`, removed })
  set(area.value.top - 1, at.value.column)
}

/** What is chosen, in words. */
const said = computed(() => {
  const number = rowAt(area.value.top)?.number
  return chosen.value === 1 && number ? `row ${number}` : count(chosen.value, 'row')
})
defineExpose({ add, remove, fill: block.fill, chosen, said })
</script>

<template>
  <div
    ref="box"
    class="rows cells"
    tabindex="0"
    role="grid"
    :aria-label="`Records of ${sheet.name}`"
    :aria-rowcount="total"
    @scroll="top = ($event.target as HTMLElement).scrollTop"
    @keydown="keys"
    @copy="block.copy"
    @paste="paste"
  >
    <table role="presentation">
      <thead role="rowgroup">
        <tr role="row">
          <slot name="head" />
        </tr>
      </thead>
      <tbody role="rowgroup">
        <tr class="pad" aria-hidden="true" :style="{ height: `${first * ROW}px` }" />
        <tr v-for="{ index, row } in shown" :key="index" role="row">
          <template v-if="row">
            <td class="num quiet number" role="rowheader" :class="{ within: within(index, 0) }">
              <button
                type="button"
                tabindex="-1"
                :title="`Choose row ${row.number} and show all of it`"
                @click="chooseRow(index, row, $event.shiftKey)"
              >
                {{ row.number }}
              </button>
            </td>
            <td role="gridcell">
              <LastDocument :last="row.last" />
            </td>
            <td
              v-for="(cell, column) in row.cells"
              :key="column"
              role="gridcell"
              :data-at="`${index} ${column}`"
              :class="{
                num: isNumber(column),
                bad: cell.wrong,
                fixed: !takesText(sheet, column),
                within: within(index, column),
                at: at.row === index && at.column === column,
              }"
              :title="
                cell.wrong ? `${cell.text}: ${cell.wrong}` : cell.text.endsWith('…') ? typed(cell) : cell.text
              "
              @mousedown.left="choose(index, column, $event.shiftKey)"
              @mouseenter="$event.buttons === 1 && draft === undefined && (to = { row: index, column })"
              @dblclick="begin()"
            >
              <input
                v-if="draft !== undefined && at.row === index && at.column === column"
                v-model="draft"
                class="draft"
                :aria-label="sheet.columns[column]?.name"
                @mousedown.stop
                @keydown.enter.stop.prevent="commit(1)"
                @keydown.tab.stop.prevent="commit(0, $event.shiftKey ? -1 : 1)"
                @keydown.esc.stop.prevent="callOff"
                @blur="commit()"
              />
              <template v-else
                ><template v-for="file in cell.files ?? []" :key="file.name"
                  ><img
                    v-if="file.picture"
                    class="small"
                    loading="lazy"
                    :src="`/api/sheets/${sheet.id}/files/${encodeURIComponent(file.name)}?small=true`"
                    :alt="file.name" /></template
                >{{ cell.text }}</template
              >
            </td>
          </template>
          <td v-else class="quiet" role="gridcell">…</td>
        </tr>
        <tr class="pad" aria-hidden="true" :style="{ height: `${Math.max(0, total - last) * ROW}px` }" />
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.small {
  width: 32px;
  height: 24px;
  margin-right: 6px;
  object-fit: cover;
  vertical-align: middle;
}
.cells {
  user-select: none;
}
/* The row's number and its first column stay in view. */
.cells :deep(th:nth-child(1)),
.cells td:nth-child(1) {
  position: sticky;
  left: 0;
  z-index: 2;
}
.cells :deep(th:nth-child(3)),
.cells td:nth-child(3) {
  position: sticky;
  left: 52px;
  z-index: 2;
}
.cells td:nth-child(1):not(.within),
.cells td:nth-child(3):not(.within, .bad, .fixed) {
  background: var(--sheet);
}
.cells :deep(thead th:nth-child(1)),
.cells :deep(thead th:nth-child(3)) {
  z-index: 3;
}
td {
  cursor: cell;
}
.rows td.number {
  padding: 0;
}
.number button {
  width: 100%;
  height: 100%;
  padding: 0 8px;
  border: 0;
  background: none;
  color: inherit;
  text-align: right;
  cursor: pointer;
}
.number button:hover {
  text-decoration: underline;
}
td.fixed {
  background: var(--head);
}
td.bad {
  background: var(--wrong-tint);
  color: var(--wrong);
}
td.within {
  background: var(--accent-tint);
}
td.at:not(:nth-child(3)) {
  position: relative;
}
td.at {
  box-shadow: inset 0 0 0 1.5px var(--accent);
}
.draft {
  position: absolute;
  inset: 0;
  width: 100%;
  min-width: 100%;
  padding: 0 7px;
  border: 1.5px solid var(--accent);
  background: var(--sheet);
  color: var(--ink);
  font: inherit;
  text-align: inherit;
  outline: none;
}
</style>
