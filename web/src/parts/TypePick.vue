<script setup lang="ts">
import type { Schemas } from '../api/client'

/** A column's type, which can be corrected. */
defineProps<{ column: Schemas['ColumnInfo']; misfits: number }>()
const emit = defineEmits<{ pick: [type: string, currency: string | null]; wrong: [] }>()
const kinds: [string, string | null, string][] = [
  ['text', null, 'text'],
  ['number', null, 'number'],
  ['money', 'EUR', 'money, EUR'],
  ['money', 'GBP', 'money, GBP'],
  ['money', 'USD', 'money, USD'],
  ['date', null, 'date'],
  ['yes/no', null, 'yes/no'],
  ['e-mail', null, 'e-mail'],
]

function pick(event: Event) {
  const [type, currency] = (event.target as HTMLSelectElement).value.split(' ')
  emit('pick', type ?? 'text', currency ?? null)
}
</script>

<template>
  <small :class="{ problem: misfits }">
    <template v-if="column.type === 'record' || column.type === 'list'">{{ column.type }}</template>
    <select
      v-else
      :value="[column.type, column.currency].filter(Boolean).join(' ')"
      :aria-label="`Type of ${column.name}`"
      @change="pick"
    >
      <option
        v-for="[type, currency, label] in kinds"
        :key="label"
        :value="[type, currency].filter(Boolean).join(' ')"
      >
        {{ label }}
      </option>
    </select>
    <template v-if="misfits"
      >,
      <button type="button" title="Show these rows" @click="emit('wrong')">
        {{ misfits }} wrong
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
