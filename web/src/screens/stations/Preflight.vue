<script setup lang="ts">
import { computed } from 'vue'

import type { Bench, Cause, Note } from '../../api/bench'
import type { Schemas } from '../../api/client'
import { said, stationOf } from '../../api/diagnostics'
import { count, grouped } from '../../api/words'
import CauseList from '../../parts/CauseList.vue'
import LastChanges from '../../parts/LastChanges.vue'
import RunTotals from '../../parts/RunTotals.vue'

const props = defineProps<{
  bench: Bench
  causes: Cause[] | undefined
  notes: Note[]
  totals: Pick<Schemas['PreflightView'], 'totals' | 'last'> | undefined
  /** How far the check is, while it goes on. */
  checked: { checked: number; count: number } | undefined
  /** Which record is at hand. */
  at: number
  change: (work: (bench: Bench) => void) => void
}>()
defineEmits<{ pick: [number]; fixed: [] }>()
// 0 is the row of what is wrong with a document of all records.
const rows = computed(() => [
  ...new Set(props.causes?.flatMap((c) => c.records.map((r) => r.row)).filter(Boolean)),
])
const served = computed(() => props.bench.records.filter((r) => r.served).length)

function leaveOut(out: number[]) {
  props.change((b) => (b.setup.left_out = [...new Set([...b.setup.left_out, ...out])].sort((x, y) => x - y)))
}
</script>

<template>
  <h2>Preflight</h2>
  <p>Checks every record before anything is sent.</p>
  <p v-if="checked" class="checking" role="status">
    <progress :value="checked.checked" :max="checked.count" aria-label="Checking records" />
    {{ grouped(checked.checked) }} of {{ count(checked.count, 'record') }} checked
  </p>
  <RunTotals v-if="totals?.totals?.documents" :totals="totals.totals" :last="totals.last ?? undefined" />
  <ul v-if="bench.obstacles.length" class="stops">
    <li v-for="obstacle in bench.obstacles" :key="said(obstacle)">
      {{ said(obstacle) }}
      <RouterLink
        :to="
          obstacle.target.kind === 'settings'
            ? '/settings'
            : { path: `/dispatches/${bench.key}/${stationOf(obstacle)}`, query: $route.query }
        "
        >Fix it</RouterLink
      >
    </li>
  </ul>
  <div v-if="served" class="served" role="status">
    <b>{{ count(served, 'record') }}</b> of {{ bench.records.length }}
    already sent by this dispatch.
    <el-button v-if="served < bench.records.length" @click="change((b) => (b.setup.choose = 'unserved'))"
      >Select only those not sent yet</el-button
    >
  </div>
  <ul v-if="bench.hints.length" class="hints">
    <li v-for="(hint, index) in bench.hints" :key="index">
      <span class="code name">{{ hint.source }}</span> {{ said(hint) }}
    </li>
  </ul>
  <ul v-if="notes.length" class="hints">
    <li v-for="note in notes" :key="said(note)">
      <template v-if="note.rows.some(Boolean)"
        >{{ count(note.rows.length, 'record') }}: {{ said(note) }} <span class="quiet">Rows </span></template
      >
      <template v-else>{{ said(note) }}</template>
      <template v-for="(row, index) in note.rows.filter(Boolean).slice(0, 12)" :key="row">
        <button type="button" class="plain" @click="$emit('pick', row)">{{ row }}</button>{{
          index + 1 < Math.min(note.rows.length, 12) ? ', ' : ''
        }}
      </template>
      <span v-if="note.rows.length > 12" class="quiet">and {{ note.rows.length - 12 }} more</span>
    </li>
  </ul>
  <template v-if="causes?.length">
    <div class="line">
      <span class="say wrong">{{
        rows.length ? `${count(rows.length, 'record')} with findings` : count(causes.length, 'finding')
      }}</span>
      <el-button v-if="rows.length" @click="leaveOut(rows)"
        >Leave out {{ count(rows.length, 'record') }}</el-button
      >
    </div>
    <CauseList
      :bench="bench"
      :causes="causes"
      @pick="$emit('pick', $event)"
      @leave-out="leaveOut"
      @fixed="$emit('fixed')"
    />
  </template>
  <p v-else-if="causes && !bench.obstacles.length">
    <span class="say right">No findings</span> {{ count(bench.records.length, 'record') }} checked. Ready to
    run.<template v-if="notes.length"> See the notes above.</template>
  </p>
  <LastChanges :bench="bench" :at="at" />
  <p v-if="bench.setup.left_out.length" class="quiet">
    {{ count(bench.setup.left_out.length, 'record') }} left out (rows
    {{ bench.setup.left_out.slice(0, 12).join(', ') }}{{ bench.setup.left_out.length > 12 ? ', …' : '' }})
    <el-button text @click="change((b) => (b.setup.left_out = []))">Include again</el-button>
  </p>
</template>

<style scoped>
.checking {
  display: flex;
  gap: 10px;
  align-items: center;
}
.hints {
  list-style: none;
  margin: 0 0 12px;
  padding: 6px 10px;
  border-left: 2px solid var(--attention);
  background: var(--attention-tint);
}
.stops,
.served {
  list-style: none;
  margin: 0 0 14px;
  padding: 8px 12px;
  background: var(--attention-tint);
  border-left: 3px solid var(--attention);
}
.served .el-button {
  margin-left: 8px;
}
.line {
  flex-wrap: wrap;
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 8px;
  margin-bottom: 6px;
}
.plain {
  border: 0;
  background: none;
  padding: 0;
  cursor: pointer;
  text-decoration: underline dotted;
}
</style>
