<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'

import { count, shortDay } from '../api/words'
import type { Edits, Row, SheetInfo } from '../api/sheet'
import { ROW, useRows } from './rows'
import StateWord from './StateWord.vue'

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
const at = ref({ row: 0, column: 0 })
/** The corner over against it. */
const to = ref({ row: 0, column: 0 })
/** What is being typed into the cell. */
const draft = ref<string>()

const width = computed(() => props.sheet.columns.length + props.sheet.related.length)
const area = computed(() => ({
  top: Math.min(at.value.row, to.value.row),
  bottom: Math.max(at.value.row, to.value.row),
  left: Math.min(at.value.column, to.value.column),
  right: Math.max(at.value.column, to.value.column),
}))
const chosen = computed(() => area.value.bottom - area.value.top + 1)
const within = (row: number, column: number) =>
  row >= area.value.top && row <= area.value.bottom && column >= area.value.left && column <= area.value.right
const isNumber = (column: number) =>
  ['number', 'money', 'date'].includes(props.sheet.columns[column]?.type ?? '')
/** Whether something can be typed into a column. */
const open = (column: number) => {
  const own = props.sheet.columns[column]
  return !!own && !own.formula && own.type !== 'record' && own.type !== 'list'
}
const text = (cell: Row['cells'][number] | undefined) => cell?.typed ?? cell?.text ?? ''

function move(rows: number, columns: number, extend = false) {
  const from = extend ? to.value : at.value
  const next = {
    row: Math.max(0, Math.min(props.total - 1, from.row + rows)),
    column: Math.max(0, Math.min(width.value - 1, from.column + columns)),
  }
  to.value = next
  if (!extend) at.value = { ...next }
  reveal(next.row)
  void nextTick(() => {
    const cell = box.value?.querySelector<HTMLElement>(`[data-at="${next.row} ${next.column}"]`)
    if (cell) cell.scrollIntoView({ block: 'nearest', inline: 'nearest' })
  })
}

function choose(row: number, column: number, extend: boolean) {
  commit()
  to.value = { row, column }
  if (!extend) at.value = { row, column }
}

/** The rows of an area, fetched where they were never seen. */
async function rowsOf(from: number, to: number): Promise<Row[]> {
  const found: Row[] = []
  for (let index = from; index <= to;) {
    const known = rowAt(index)
    if (known) {
      found.push(known)
      index++
      continue
    }
    const more = await props.fetch(index, Math.min(500, to - index + 1))
    if (!more.length) break
    found.push(...more)
    index += more.length
  }
  return found
}

function begin(typed?: string) {
  if (!open(at.value.column)) {
    const own = props.sheet.columns[at.value.column]
    ElMessage({
      message: own?.formula ? `Filled by its formula: ${own.formula}` : 'Change this at its own sheet',
    })
    return
  }
  draft.value = typed ?? text(rowAt(at.value.row)?.cells[at.value.column])
  void nextTick(() => {
    const input = box.value?.querySelector<HTMLInputElement>('input.draft')
    input?.focus()
    if (typed === undefined) input?.select()
  })
}

/** Keeps what was typed. */
function commit(down = 0, right = 0) {
  const row = rowAt(at.value.row)
  const typed = draft.value
  draft.value = undefined
  if (typed !== undefined && row) {
    const { column } = at.value
    if (typed !== text(row.cells[column]))
      emit('edit', {
        what: `Write “${typed.slice(0, 40)}” into ${props.sheet.columns[column]?.name}`,
        cells: [{ row: row.number, column, text: typed }],
      })
  }
  if (down || right) {
    box.value?.focus()
    move(down, right)
  }
}

function callOff() {
  draft.value = undefined
  box.value?.focus()
}

async function clear() {
  const { top, bottom, left, right } = area.value
  const cells = (await rowsOf(top, bottom)).flatMap((row) =>
    columns(left, right)
      .filter((column) => row.cells[column]?.text)
      .map((column) => ({ row: row.number, column, text: '' })),
  )
  if (cells.length) emit('edit', { what: `Clear ${count(cells.length, 'cell')}`, cells })
}

const columns = (left: number, right: number) =>
  Array.from({ length: right - left + 1 }, (_, index) => left + index).filter(open)

/** Fills the area with its first row. */
async function fill() {
  const { top, bottom, left, right } = area.value
  const rows = await rowsOf(top, bottom)
  const [head, ...below] = rows
  if (!head || !below.length) return
  const cells = below.flatMap((row) =>
    columns(left, right).map((column) => ({ row: row.number, column, text: text(head.cells[column]) })),
  )
  emit('edit', { what: `Fill ${count(cells.length, 'cell')} down`, cells })
}

const quoted = (value: string) => (/[\t\n"]/.test(value) ? `"${value.replaceAll('"', '""')}"` : value)

async function copy(event: ClipboardEvent) {
  if (draft.value !== undefined) return
  event.preventDefault()
  const { top, bottom, left, right } = area.value
  const known = Array.from({ length: bottom - top + 1 }, (_, index) => rowAt(top + index))
  const block = (rows: (Row | undefined)[]) =>
    rows.map((row) =>
      (row?.cells ?? [])
        .slice(left, right + 1)
        .map((cell) => quoted(text(cell)))
        .join('\t'),
    )
  // Rows that were never seen come too late for the event.
  if (known.every(Boolean)) event.clipboardData?.setData('text/plain', block(known).join('\n'))
  else await navigator.clipboard.writeText(block(await rowsOf(top, bottom)).join('\n'))
}

/** Cells of pasted text: parted by tabs, in quotes where they hold lines. */
function parted(pasted: string): string[][] {
  const rows: string[][] = [[]]
  let cell = ''
  let inQuotes = false
  const clean = pasted.replace(/\r\n?/g, '\n').replace(/\n$/, '')
  for (let index = 0; index < clean.length; index++) {
    const sign = clean[index] as string
    if (inQuotes) {
      if (sign !== '"') cell += sign
      else if (clean[index + 1] === '"') cell += clean[++index]
      else inQuotes = false
    } else if (sign === '"' && cell === '') inQuotes = true
    else if (sign === '\t' || sign === '\n') {
      rows[rows.length - 1]?.push(cell)
      cell = ''
      if (sign === '\n') rows.push([])
    } else cell += sign
  }
  rows[rows.length - 1]?.push(cell)
  return rows
}

async function paste(event: ClipboardEvent) {
  if (draft.value !== undefined) return
  event.preventDefault()
  const block = parted(event.clipboardData?.getData('text/plain') ?? '')
  const { top, bottom, left, right } = area.value
  const one = block.length === 1 && block[0]?.length === 1
  const rows = await rowsOf(top, one ? bottom : Math.min(props.total - 1, top + block.length - 1))
  const cells = []
  const added = []
  let passed = 0
  for (let index = 0; index < (one ? rows.length : block.length); index++) {
    const line = (one ? block[0] : block[index]) ?? []
    const row = rows[index]
    const values = new Array<string>(props.sheet.columns.length).fill('')
    const wide = one ? right - left + 1 : line.length
    for (let offset = 0; offset < wide; offset++) {
      const value = (one ? line[0] : line[offset]) ?? ''
      const column = left + offset
      if (!open(column)) passed++
      else if (row) cells.push({ row: row.number, column, text: value })
      else values[column] = value
    }
    if (!row) added.push({ after: null, cells: values })
  }
  if (passed)
    ElMessage({
      message: `${count(passed, 'cell')} not pasted: their columns are not typed into`,
      duration: 6000,
    })
  if (cells.length || added.length)
    emit('edit', {
      what: `Paste ${count(cells.length + added.length * (block[0]?.length ?? 1), 'cell')}`,
      cells,
      added,
    })
  to.value = {
    row: top + block.length - 1,
    column: Math.min(width.value - 1, left + (block[0]?.length ?? 1) - 1),
  }
}

async function shift(by: 1 | -1) {
  const { top, bottom } = area.value
  if ((by < 0 && top === 0) || (by > 0 && bottom >= props.total - 1)) return
  const rows = (await rowsOf(top, bottom)).map((row) => row.number)
  const after =
    by > 0
      ? (await rowsOf(bottom + 1, bottom + 1))[0]?.number
      : top > 1
        ? (await rowsOf(top - 2, top - 2))[0]?.number
        : null
  emit('edit', { what: `Move ${count(rows.length, 'row')}`, moved: { rows, after: after ?? null } })
  at.value = { ...at.value, row: at.value.row + by }
  to.value = { ...to.value, row: to.value.row + by }
}

async function keys(event: KeyboardEvent) {
  if (draft.value !== undefined) return
  const held = event.ctrlKey || event.metaKey
  const go = (rows: number, columns: number) => move(rows, columns, event.shiftKey)
  const moves: Record<string, () => void> = {
    ArrowDown: () => (event.altKey ? void shift(1) : go(held ? props.total : 1, 0)),
    ArrowUp: () => (event.altKey ? void shift(-1) : go(held ? -props.total : -1, 0)),
    ArrowLeft: () => go(0, held ? -width.value : -1),
    ArrowRight: () => go(0, held ? width.value : 1),
    PageDown: () => go(20, 0),
    PageUp: () => go(-20, 0),
    Home: () => go(held ? -props.total : 0, -width.value),
    End: () => go(held ? props.total : 0, width.value),
    Enter: () => begin(),
    F2: () => begin(),
    Delete: () => void clear(),
    Backspace: () => void clear(),
    Escape: () => (to.value = { ...at.value }),
  }
  const own = moves[event.key]
  if (own) own()
  else if (held && event.key === 'd') void fill()
  else if (held && event.key === 'a') {
    at.value = { row: 0, column: 0 }
    to.value = { row: props.total - 1, column: width.value - 1 }
  } else if (held && (event.key === 'y' || event.key === 'Z')) emit('redo')
  else if (held && event.key === 'z') emit('undo')
  else if (event.key.length === 1 && !held && !event.altKey) begin(event.key)
  else return
  event.preventDefault()
  event.stopPropagation()
}

/** Adds an empty row below, and goes there. */
async function add() {
  const row = rowAt(area.value.bottom)
  emit('edit', { what: 'Add a row', added: [{ after: row?.number ?? null, cells: [] }] })
  at.value = to.value = { row: row ? area.value.bottom + 1 : 0, column: 0 }
  box.value?.focus()
}

async function remove() {
  const removed = (await rowsOf(area.value.top, area.value.bottom)).map((row) => row.number)
  emit('edit', { what: `Delete ${count(removed.length, 'row')}`, removed })
  at.value = to.value = { row: Math.max(0, area.value.top - 1), column: at.value.column }
}

defineExpose({ add, remove, fill, chosen })
</script>

<template>
  <div
    ref="box"
    class="box"
    tabindex="0"
    role="grid"
    :aria-label="`Records of ${sheet.name}`"
    :aria-rowcount="total"
    @scroll="top = ($event.target as HTMLElement).scrollTop"
    @keydown="keys"
    @copy="copy"
    @paste="paste"
  >
    <table>
      <thead>
        <tr>
          <slot name="head" />
        </tr>
      </thead>
      <tbody>
        <tr class="pad" :style="{ height: `${first * ROW}px` }" />
        <tr v-for="{ index, row } in shown" :key="index" role="row">
          <template v-if="row">
            <td class="num quiet number" @dblclick="emit('open', row)">
              <button
                type="button"
                tabindex="-1"
                :title="`All of row ${row.number}`"
                @click="emit('open', row)"
              >
                {{ row.number }}
              </button>
            </td>
            <td>
              <a
                v-if="row.last[0]"
                :href="`/api/items/${row.last[0].item}/documents/pdf`"
                target="_blank"
                tabindex="-1"
                :title="
                  row.last
                    .map((l) => `${l.dispatch}: ${l.state}, ${shortDay(l.changed)} ${l.error}`)
                    .join('\n')
                "
              >
                <StateWord :state="row.last[0].state" :more="shortDay(row.last[0].changed)" />
                <span v-if="row.last.length > 1" class="quiet"> +{{ row.last.length - 1 }}</span>
              </a>
            </td>
            <td
              v-for="(cell, column) in row.cells"
              :key="column"
              role="gridcell"
              :data-at="`${index} ${column}`"
              :class="{
                num: isNumber(column),
                bad: cell.wrong,
                fixed: !open(column),
                within: within(index, column),
                at: at.row === index && at.column === column,
              }"
              :title="cell.wrong ? `${cell.text}: ${cell.wrong}` : cell.text"
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
                @keydown.enter.prevent="commit(1)"
                @keydown.tab.prevent="commit(0, $event.shiftKey ? -1 : 1)"
                @keydown.esc.prevent="callOff"
                @blur="commit()"
              />
              <template v-else>{{ cell.text }}</template>
            </td>
          </template>
          <td v-else class="quiet">…</td>
        </tr>
        <tr class="pad" :style="{ height: `${Math.max(0, total - last) * ROW}px` }" />
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.box {
  flex: 1;
  min-height: 0;
  min-width: 0;
  overflow: auto;
  user-select: none;
}
.box:focus-visible {
  outline-offset: -2px;
}
table {
  border-collapse: separate;
  border-spacing: 0;
  min-width: 100%;
}
thead :slotted(th) {
  position: sticky;
  top: 0;
  z-index: 1;
  height: 40px;
  line-height: 1.25;
  background: var(--head);
  text-align: left;
  font-weight: 500;
  font-size: 12px;
  color: var(--ink-2);
  padding: 0 8px;
  border-right: 1px solid var(--line-2);
  border-bottom: 1px solid var(--line);
  white-space: nowrap;
}
thead :slotted(th.num) {
  text-align: right;
}
td {
  height: 32px;
  padding: 0 8px;
  border-right: 1px solid var(--line-2);
  border-bottom: 1px solid var(--line-2);
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  max-width: 240px;
  cursor: cell;
}
td.num {
  text-align: right;
}
td.number {
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
td.at {
  position: relative;
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
tr.pad td {
  border: 0;
}
</style>
