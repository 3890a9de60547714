<script setup lang="ts">
import type { ListPick, Picks } from '../api/crm'
import QueryRow from './QueryRow.vue'

/** The lists of a question, each with which of them, in which order, how many. */
const props = defineProps<{ way: string[]; wrong: (place: string) => string | undefined }>()
const picks = defineModel<Picks>('picks', { required: true })

const change = (at: number, now: Partial<ListPick>) =>
  (picks.value = {
    ...picks.value,
    lists: picks.value.lists.map((l, index) => (index === at ? { ...l, ...now } : l)),
  })

/** What a list can be sorted by: the fields that are asked for, and the one that it is sorted by. */
const fields = (list: ListPick) => {
  const own = list.order.replace('-', '')
  const names = !own || list.picks.fields.includes(own) ? list.picks.fields : [...list.picks.fields, own]
  return names.map((name) => ({ name, label: name }))
}
const wrongs = (list: ListPick) => {
  const at = (what: string) => props.wrong([...props.way, list.way, what].join(' › '))
  return { filter: at('filter'), order: at('order') }
}
</script>

<template>
  <template v-for="(list, at) in picks.lists" :key="list.way">
    <QueryRow
      :title="[...way, list.way].join(' › ')"
      :of="list.way"
      :filter="list.filter"
      :order="list.order"
      :first="list.first"
      :fields="fields(list)"
      :wrong="wrongs(list)"
      @change="change(at, $event)"
    />
    <ListAsked
      :way="[...way, list.way]"
      :wrong="wrong"
      :picks="list.picks"
      @update:picks="change(at, { picks: $event })"
    />
  </template>
</template>
