<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { Bench } from '../api/bench'
import { api, ask, attempt, type Schemas } from '../api/client'
import { count, shortDay } from '../api/words'

/** The document of the current record beside the one that was made of it last. */
const props = defineProps<{ bench: Bench; at: number }>()
const record = computed(() => props.bench.records[props.at])
const found = ref<Schemas['LastDocument'] | null>()
watch(
  () => [record.value?.row, props.bench.revision],
  () => (found.value = undefined),
)
async function load() {
  const row = record.value?.row
  if (!row) return
  const params = { path: { key: props.bench.key, row } }
  found.value = await attempt(() => ask(api.GET('/api/dispatches/{key}/pages/{row}/last', { params })))
}
</script>

<template>
  <section v-if="record?.served" class="last" aria-label="Compared with the last document">
    <p v-if="!found">
      {{ record.label }} was last sent on {{ shortDay(record.served.at) }}.
      <el-button @click="load">Compare with that document</el-button>
    </p>
    <template v-else>
      <p v-if="!found.changes.length">
        <span class="say right">Same text</span> The document of {{ record.label }} says the same as on
        {{ shortDay(found.at) }}.
      </p>
      <p v-else>{{ count(found.changes.length, 'line') }} of {{ record.label }} changed:</p>
      <table v-if="found.changes.length">
        <thead>
          <tr>
            <th>
              <RouterLink :to="`/runs/${found.run}`">Run {{ found.run }}</RouterLink
              >, {{ shortDay(found.at) }}
            </th>
            <th>Now</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(change, index) in found.changes" :key="index">
            <td>
              <template v-for="(piece, place) in change.pieces" :key="place"
                ><del v-if="piece.state === 'gone'">{{ piece.text }}</del
                ><template v-else-if="piece.state === 'same'">{{ piece.text }}</template></template
              >
            </td>
            <td>
              <template v-for="(piece, place) in change.pieces" :key="place"
                ><ins v-if="piece.state === 'new'">{{ piece.text }}</ins
                ><template v-else-if="piece.state === 'same'">{{ piece.text }}</template></template
              >
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
.last {
  margin-top: 14px;
}
table {
  width: 100%;
  border-collapse: collapse;
  table-layout: fixed;
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--ink-2);
  font-size: 12px;
}
td {
  padding: 4px 8px 4px 0;
  border-bottom: 1px solid var(--line-2);
  vertical-align: top;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
