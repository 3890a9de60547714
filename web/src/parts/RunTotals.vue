<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { count, grouped, shortDay } from '../api/words'

/** What a run comes to, beside what the last one came to. */
type Totals = Schemas['Totals']
const props = defineProps<{ totals: Totals; last: Schemas['LastTotals'] | undefined }>()

const pages = (totals: Totals | undefined) =>
  totals?.pages ? `${totals.estimated ? 'about ' : ''}${grouped(totals.pages)}` : ''
const delivered = (one: Schemas['ChannelTotal'] | undefined) =>
  one
    ? `${grouped(one.count)}${one.recipients < one.count ? ` to ${count(one.recipients, 'recipient')}` : ''}`
    : ''
const lines = computed(() => {
  const { totals, last } = props
  const before = last?.totals
  return [
    { name: 'Documents', now: grouped(totals.documents), before: before ? grouped(before.documents) : '' },
    { name: 'Pages', now: pages(totals), before: pages(before) },
    ...totals.deliveries.map((one) => ({
      name: one.name,
      now: delivered(one),
      before: delivered(before?.deliveries.find((own) => own.name === one.name)),
    })),
    ...totals.sums.map((sum, at) => ({
      name: sum.column,
      now: sum.text,
      before:
        before?.sums.filter((own) => own.column === sum.column)[
          totals.sums.slice(0, at).filter((own) => own.column === sum.column).length
        ]?.text ?? '',
    })),
  ].filter((line) => line.now)
})
</script>

<template>
  <table class="totals">
    <thead>
      <tr>
        <th><span class="unseen">What</span></th>
        <th class="num">This run</th>
        <th v-if="last" class="num">
          <RouterLink :to="`/runs/${last.run}`">Run {{ last.run }}</RouterLink
          >, {{ shortDay(last.at) }}
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="line in lines" :key="line.name + line.now">
        <th scope="row">{{ line.name }}</th>
        <td class="num">{{ line.now }}</td>
        <td v-if="last" class="num quiet">{{ line.before }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.totals {
  margin: 0 0 14px;
  border-collapse: collapse;
}
.totals th,
.totals td {
  padding: 2px 16px 2px 0;
  font-weight: 400;
  text-align: left;
}
.totals .num {
  text-align: right;
}
.totals thead th {
  color: var(--ink-2);
  font-size: 12px;
}
</style>
