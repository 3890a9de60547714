<script setup lang="ts" generic="Row">
import { ref } from 'vue'

import { ROW, useRows } from './rows'

/** A table of any length: rows are drawn where they are seen and fetched a page at a time. */
const props = defineProps<{
  total: number
  /** Changes whenever the rows must be fetched anew. */
  version: unknown
  fetch: (from: number, count: number) => Promise<Row[]>
  label: string
}>()
const emit = defineEmits<{ open: [Row] }>()

const box = ref<HTMLElement>()
const at = ref(0)
const { top, first, last, shown, row: rowAt, reveal } = useRows<Row>(props, box)

function move(by: number) {
  at.value = Math.max(0, Math.min(props.total - 1, at.value + by))
  reveal(at.value)
}

function open() {
  const row = rowAt(at.value)
  if (row) emit('open', row)
}
</script>

<template>
  <div
    ref="box"
    class="rows"
    tabindex="0"
    role="region"
    :aria-label="label"
    @scroll="top = ($event.target as HTMLElement).scrollTop"
    @keydown.down.prevent="move(1)"
    @keydown.up.prevent="move(-1)"
    @keydown.page-down.prevent="move(20)"
    @keydown.page-up.prevent="move(-20)"
    @keydown.home.prevent="move(-total)"
    @keydown.end.prevent="move(total)"
    @keydown.enter="open"
  >
    <table>
      <thead>
        <tr>
          <slot name="head" />
        </tr>
      </thead>
      <tbody>
        <tr class="pad" :style="{ height: `${first * ROW}px` }" />
        <tr
          v-for="{ index, row } in shown"
          :key="index"
          :class="{ at: index === at }"
          @click="at = index"
          @dblclick="open"
        >
          <slot v-if="row !== undefined" name="row" :row="row as Row" :index="index" />
          <td v-else class="quiet">…</td>
        </tr>
        <tr class="pad" :style="{ height: `${(total - last) * ROW}px` }" />
      </tbody>
    </table>
  </div>
</template>

<style scoped>
table {
  table-layout: fixed;
}
tr.at :slotted(td) {
  box-shadow:
    inset 0 1px var(--accent),
    inset 0 -1px var(--accent);
}
</style>
