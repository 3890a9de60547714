<script setup lang="ts">
import type { ListPick, Picks } from '../api/crm'
import FormLine from './FormLine.vue'

/** The lists of a question, each with which of them, in which order, how many. */
defineProps<{ way: string[]; wrong: (place: string) => string | undefined }>()
const picks = defineModel<Picks>('picks', { required: true })

const change = (at: number, now: Partial<ListPick>) =>
  (picks.value = {
    ...picks.value,
    lists: picks.value.lists.map((l, index) => (index === at ? { ...l, ...now } : l)),
  })
</script>

<template>
  <template v-for="(list, at) in picks.lists" :key="list.way">
    <div class="list" role="group" :aria-label="list.way">
      <b>{{ [...way, list.way].join(' › ') }}</b>
      <FormLine label="Filter" :wrong="wrong([...way, list.way, 'filter'].join(' › '))">
        <el-input
          :model-value="list.filter"
          class="mono"
          aria-label="Filter"
          @update:model-value="change(at, { filter: $event })"
        />
      </FormLine>
      <FormLine label="Sort by" :wrong="wrong([...way, list.way, 'order'].join(' › '))">
        <el-select
          :model-value="list.order || 'none'"
          aria-label="Sort by"
          @update:model-value="change(at, { order: $event === 'none' ? '' : $event })"
        >
          <el-option value="none" label="CRM order" />
          <template v-for="field in list.picks.fields" :key="field">
            <el-option :value="field" :label="field" />
            <el-option :value="`-${field}`" :label="`${field}, descending`" />
          </template>
          <el-option
            v-if="list.order && !list.picks.fields.includes(list.order.replace('-', ''))"
            :value="list.order"
            :label="list.order"
          />
        </el-select>
      </FormLine>
      <FormLine label="Maximum">
        <el-input
          :model-value="list.first ?? ''"
          inputmode="numeric"
          aria-label="Maximum"
          @update:model-value="change(at, { first: Number.parseInt($event) || null })"
        />
      </FormLine>
    </div>
    <ListAsked
      :way="[...way, list.way]"
      :wrong="wrong"
      :picks="list.picks"
      @update:picks="change(at, { picks: $event })"
    />
  </template>
</template>

<style scoped>
.list {
  display: grid;
  grid-template-columns: 170px minmax(0, 1fr) 190px 80px;
  gap: 10px;
  align-items: start;
}
.list b {
  padding-top: 22px;
}
.list :deep(.field) {
  margin-bottom: 6px;
}
</style>
