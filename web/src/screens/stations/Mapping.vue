<script setup lang="ts">
import { computed } from 'vue'

import type { Bench } from '../../api/bench'
import type { Schemas } from '../../api/client'

const props = defineProps<{
  bench: Bench
  page: Schemas['PageView'] | undefined
  change: (work: (bench: Bench) => void) => void
}>()
// What is open comes first.
const ties = computed(() => [...props.bench.ties].sort((a, b) => Number(!!a.column) - Number(!!b.column)))
const columns = (tie: Schemas['TieInfo']) => {
  const all = tie.likeliest.length ? tie.likeliest : props.bench.columns.map((c) => c.name)
  return tie.column && !all.includes(tie.column) ? [tie.column, ...all] : all
}

function tie(name: string, column: string | undefined) {
  props.change((b) => {
    if (column) b.setup.ties[name] = column
    else delete b.setup.ties[name]
  })
}
</script>

<template>
  <h2>Mapping</h2>
  <p>
    Choose the column for each name in the template. Names that differ only in case, spaces or dashes are
    mapped automatically.
  </p>
  <p v-if="!bench.sheet || !bench.template" class="problem">
    Choose a {{ bench.template ? 'source' : 'template' }} to see the names.
  </p>
  <table v-else class="list">
    <colgroup>
      <col style="width: 28%" />
      <col style="width: 36%" />
      <col style="width: 28%" />
      <col style="width: 8%" />
    </colgroup>
    <thead>
      <tr>
        <th>In the template</th>
        <th>From {{ bench.sheet.name }}</th>
        <th>For this record</th>
        <th class="num">Uses</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in ties" :key="one.name" :class="{ open: !one.column }">
        <td class="code name" :title="one.name">
          {{ one.name }}<small v-if="one.of && !one.name.includes('.')" class="quiet"> in {{ one.of }}</small>
        </td>
        <td>
          <el-select
            :model-value="one.column ?? undefined"
            filterable
            :clearable="one.by_hand"
            :placeholder="`${one.likeliest[0]} (best match)`"
            :aria-label="`Column for ${one.name}`"
            @change="(column: string | undefined) => tie(one.name, column)"
          >
            <el-option v-for="(column, index) in columns(one)" :key="column" :value="column" :label="column">
              {{ column }} <span v-if="!one.column && index === 0" class="quiet">best match</span>
            </el-option>
          </el-select>
        </td>
        <td :class="{ quiet: !page?.values[one.name] }" :title="page?.values[one.name]">
          {{ one.column ? page?.values[one.name] || 'blank' : '' }}
        </td>
        <td class="num">{{ one.uses }}</td>
      </tr>
    </tbody>
  </table>
  <p v-if="bench.sheet && bench.unused.length" class="quiet">Unused columns: {{ bench.unused.join(', ') }}</p>
</template>

<style scoped>
tr.open td {
  background: var(--attention-tint);
  height: 40px;
}
td :deep(.el-select__wrapper) {
  border-color: transparent;
  background: transparent;
  min-height: 26px;
}
tr:hover td :deep(.el-select__wrapper),
tr.open td :deep(.el-select__wrapper) {
  border-color: var(--line);
  background: var(--sheet);
}
tr.open td :deep(.el-select__wrapper) {
  border-color: var(--attention);
}
</style>
