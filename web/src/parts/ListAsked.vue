<script setup lang="ts">
import type { ListPick, Picks } from '../api/crm'

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
    <div class="asked-row" role="group" :aria-label="list.way">
      <b>{{ [...way, list.way].join(' › ') }}</b>
      <div>
        <el-input
          :model-value="list.filter"
          class="mono"
          :aria-label="`Filter of ${list.way}`"
          @update:model-value="change(at, { filter: $event })"
        />
        <span v-if="wrong([...way, list.way, 'filter'].join(' › '))" class="problem" role="alert">{{
          wrong([...way, list.way, 'filter'].join(' › '))
        }}</span>
      </div>
      <div>
        <el-select
          :model-value="list.order || 'none'"
          :aria-label="`Sort by of ${list.way}`"
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
        <span v-if="wrong([...way, list.way, 'order'].join(' › '))" class="problem" role="alert">{{
          wrong([...way, list.way, 'order'].join(' › '))
        }}</span>
      </div>
      <div>
        <el-input
          :model-value="list.first ?? ''"
          inputmode="numeric"
          :aria-label="`Maximum of ${list.way}`"
          @update:model-value="change(at, { first: Number.parseInt($event) || null })"
        />
      </div>
    </div>
    <ListAsked
      :way="[...way, list.way]"
      :wrong="wrong"
      :picks="list.picks"
      @update:picks="change(at, { picks: $event })"
    />
  </template>
</template>
