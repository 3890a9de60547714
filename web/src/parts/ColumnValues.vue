<script setup lang="ts">
import { ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import type { Sheet } from '../api/sheet'
import { count, grouped } from '../api/words'

/** The values of a column with how many rows have each; one that is chosen filters the sheet. */
const props = defineProps<{ it: Sheet; index: number }>()
const found = ref<Schemas['ColumnValues']>()
watch(
  () => [props.index, props.it.sheet.value?.id, props.it.version.value] as const,
  async ([index, id]) => {
    if (id === undefined) return
    const params = { path: { id, index } }
    found.value = await attempt(() => ask(api.GET('/api/sheets/{id}/columns/{index}/values', { params })))
  },
  { immediate: true },
)

const filter = props.it.filter
const choose = (condition: string) => (filter.value = filter.value === condition ? '' : condition)
</script>

<template>
  <section v-if="found?.values.length" aria-label="Values of the column">
    <h3>{{ count(found.different, 'different value') }}</h3>
    <ul>
      <li v-for="one in found.values" :key="one.condition">
        <button
          type="button"
          :class="{ on: filter === one.condition }"
          :aria-pressed="filter === one.condition"
          :title="`Show only rows where ${one.condition}`"
          @click="choose(one.condition)"
        >
          <span class="value" :class="{ quiet: !one.text }">{{ one.text || 'blank' }}</span>
          <span class="num quiet">{{ grouped(one.count) }}</span>
        </button>
      </li>
    </ul>
    <p v-if="found.different > found.values.length" class="quiet">
      The {{ found.values.length }} most frequent are listed.
    </p>
  </section>
</template>

<style scoped>
section {
  border-top: 1px solid var(--line);
  padding-top: 8px;
}
h3 {
  margin: 0 0 4px;
  font-size: 13px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
button {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  width: 100%;
  min-height: 26px;
  padding: 2px 6px;
  border: 0;
  border-bottom: 1px solid var(--line-2);
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}
button:hover,
button.on {
  background: var(--accent-tint);
}
.value {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
