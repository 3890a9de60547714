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
      <FormLine
        label="Which"
        about="all where blank"
        :wrong="wrong([...way, list.way, 'filter'].join(' › '))"
      >
        <el-input
          :model-value="list.filter"
          class="mono"
          :aria-label="`Which ${list.way}`"
          @update:model-value="change(at, { filter: $event })"
        />
      </FormLine>
      <FormLine label="By" :wrong="wrong([...way, list.way, 'order'].join(' › '))">
        <el-select
          :model-value="list.order || 'none'"
          :aria-label="`Order of ${list.way}`"
          @update:model-value="change(at, { order: $event === 'none' ? '' : $event })"
        >
          <el-option value="none" label="the CRM’s order" />
          <template v-for="field in list.picks.fields" :key="field">
            <el-option :value="field" :label="field" />
            <el-option :value="`-${field}`" :label="`${field}, greatest first`" />
          </template>
          <el-option
            v-if="list.order && !list.picks.fields.includes(list.order.replace('-', ''))"
            :value="list.order"
            :label="list.order"
          />
        </el-select>
      </FormLine>
      <FormLine label="At most">
        <el-input
          :model-value="list.first ?? ''"
          inputmode="numeric"
          :aria-label="`Most of ${list.way}`"
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
