<script setup lang="ts">
import type { Schemas } from '../api/client'

/** A few records as a question brings them; lists stand as small tables. */
defineProps<{
  columns: Schemas['ColumnInfo'][]
  records: { key: string; values: unknown[] }[]
  within?: boolean
}>()
const emit = defineEmits<{ open: [key: string] }>()

const isList = (value: unknown): value is Record<string, unknown>[] => Array.isArray(value)
const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value)
const plain = (value: unknown) => {
  if (value === null || value === undefined) return ''
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  return String(value)
}
/** What a list within a list holds: the last plain value of each. */
const brief = (items: Record<string, unknown>[]) =>
  items.map((one) => plain(Object.values(one).at(-1))).join('; ')
</script>

<template>
  <table class="sample">
    <thead>
      <tr>
        <th v-for="column in columns" :key="column.name">
          {{ column.name }}<span class="quiet"> {{ column.type }}</span>
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="record in records" :key="record.key" @dblclick="emit('open', record.key)">
        <td v-for="(value, at) in record.values" :key="at">
          <template v-if="isList(value)">
            <span v-if="!value.length" class="quiet">none</span>
            <span v-else-if="within">{{ value.length }}: {{ brief(value) }}</span>
            <SampleTable
              v-else
              within
              :columns="columns[at]?.inner ?? []"
              :records="
                value.slice(0, 4).map((one, n) => ({
                  key: `${record.key} ${n}`,
                  values: (columns[at]?.inner ?? []).map((c) => one[c.name]),
                }))
              "
            />
            <span v-if="value.length > 4 && !within" class="quiet">and {{ value.length - 4 }} more</span>
          </template>
          <template v-else-if="isRecord(value)">
            <div v-for="(one, name) in value" :key="name">
              <span class="quiet">{{ name }}</span>
              {{ isRecord(one) ? Object.values(one).map(plain).join(', ') : plain(one) }}
            </div>
          </template>
          <span v-else class="long" :title="plain(value).length > 120 ? plain(value) : undefined">{{
            plain(value)
          }}</span>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.sample {
  border-collapse: collapse;
}
.sample th {
  text-align: left;
  font-weight: 500;
  font-size: 12px;
  padding: 3px 10px;
  background: var(--head);
  white-space: nowrap;
}
.sample td {
  padding: 4px 10px;
  border-bottom: 1px solid var(--line-2);
  vertical-align: top;
  max-width: 300px;
  overflow-wrap: break-word;
}
.long {
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 4;
  overflow: hidden;
}
.sample .sample th {
  padding: 1px 6px;
  font-size: 11px;
}
.sample .sample td {
  padding: 1px 6px;
  font-size: 12px;
}
th .quiet {
  margin-left: 6px;
}
</style>
