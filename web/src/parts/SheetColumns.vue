<script setup lang="ts">
import { computed } from 'vue'

import type { Sheet } from '../api/sheet'
import TypePick from './TypePick.vue'

/** The heads of a sheet's columns, and of what its relations add. */
const props = defineProps<{ it: Sheet; here: string }>()
const emit = defineEmits<{ show: [view: string] }>()
const sheet = computed(() => props.it.sheet.value)
const misfits = computed(() => props.it.misfits.value)

const isNumber = (at: number) => ['number', 'money', 'date'].includes(sheet.value?.columns[at]?.type ?? '')
const sorted = (at: number) => {
  const place = props.it.sort.value.findIndex((s) => Math.abs(s) === at + 1)
  if (place < 0) return ''
  return `${(props.it.sort.value[place] ?? 0) > 0 ? ' ↑' : ' ↓'}${props.it.sort.value.length > 1 ? place + 1 : ''}`
}
async function setType(index: number, type: string, currency: string | null) {
  const own = sheet.value?.columns[index]
  if (own) await props.it.setColumn(index, { name: own.name, type, currency, locale: own.locale ?? null })
}
</script>

<template>
  <th
    v-for="(column, at) in sheet?.columns"
    :key="column.name"
    role="columnheader"
    :class="{ num: isNumber(at) }"
  >
    <span class="name">
      <button
        type="button"
        class="sort"
        :title="`Sort by ${column.name}; Shift+click to add to the current sort`"
        @click="it.sortBy(at, $event.shiftKey)"
      >
        {{ column.name }}{{ sorted(at) }}
      </button>
      <button
        type="button"
        class="more"
        :aria-label="`Edit column ${column.name}`"
        :title="`Edit column ${column.name}`"
        @click="emit('show', `column/${at}`)"
      >
        ⁝
      </button>
    </span>
    <small v-if="column.formula" :title="column.formula" :class="{ problem: misfits[at] }">
      <button type="button" class="sort" @click="emit('show', `column/${at}`)">= {{ column.type }}</button>
      <template v-if="misfits[at]"
        >,
        <button type="button" class="sort" @click="it.show(at + 1)">
          {{ misfits[at] }} invalid
        </button></template
      >
    </small>
    <TypePick
      v-else
      :column="column"
      :misfits="misfits[at] ?? 0"
      @pick="(type, currency) => setType(at, type, currency)"
      @wrong="it.show(at + 1)"
    />
  </th>
  <th v-for="one in sheet?.related" :key="`related ${one.name}`" role="columnheader">
    <RouterLink :to="`${here}/relations`">{{ one.name }}</RouterLink>
    <small>{{ one.many ? 'list' : 'record' }} of {{ one.other_name }}</small>
  </th>
</template>

<style scoped>
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
  min-width: 24px;
  min-height: 24px;
  text-align: inherit;
}
.more {
  text-align: center;
}
small {
  display: block;
  font-size: 11px;
  font-weight: 400;
}
small .sort {
  font-weight: 400;
}
</style>
