<script setup lang="ts">
import type { Schemas } from '../api/client'
import { officeCurrency } from '../api/currencies'

/** A column's type, which can be corrected. */
defineProps<{ column: Schemas['ColumnInfo']; misfits: number }>()
const emit = defineEmits<{ pick: [type: string, currency: string | null]; wrong: [] }>()
const KINDS = ['text', 'number', 'money', 'percent', 'date', 'time', 'yes/no', 'e-mail']

/** Money starts in the office's currency; the column's panel has all others. */
async function pick(event: Event) {
  const type = (event.target as HTMLSelectElement).value
  emit('pick', type, type === 'money' ? await officeCurrency() : null)
}
</script>

<template>
  <small :class="{ problem: misfits }">
    <template v-if="column.type === 'record' || column.type === 'list'">{{ column.type }}</template>
    <select v-else :value="column.type" :aria-label="`Type of ${column.name}`" @change="pick">
      <option v-for="kind in KINDS" :key="kind" :value="kind">
        {{ kind === 'money' && column.currency ? `money, ${column.currency}` : kind }}
      </option>
    </select>
    <template v-if="misfits"
      >,
      <button type="button" title="Show these rows" @click="emit('wrong')">
        {{ misfits }} invalid
      </button></template
    >
  </small>
</template>

<style scoped>
small {
  font-size: 11px;
  font-weight: 400;
}
select {
  border: 0;
  background: none;
  padding: 0;
  appearance: none;
  min-width: 24px;
  min-height: 24px;
  cursor: pointer;
  color: inherit;
  field-sizing: content;
}
button {
  border: 0;
  background: none;
  padding: 0;
  color: inherit;
  font-size: inherit;
  min-height: 24px;
  cursor: pointer;
}
button:hover,
select:hover {
  text-decoration: underline dotted;
}
option {
  color: var(--ink);
  background: var(--sheet);
}
</style>
