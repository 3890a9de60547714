<script setup lang="ts">
import { computed } from 'vue'

import type { Bench, Finding, Note } from '../../api/bench'
import { count } from '../../api/words'

const props = defineProps<{
  bench: Bench
  findings: Finding[] | undefined
  notes: Note[]
  change: (work: (bench: Bench) => void) => void
}>()
defineEmits<{ pick: [number] }>()
// 0 is the row of what is wrong with a document of all records.
const rows = computed(() => [...new Set(props.findings?.map((f) => f.row))].filter(Boolean))

function leaveOut(out: number[]) {
  props.change((b) => (b.setup.left_out = [...new Set([...b.setup.left_out, ...out])].sort((x, y) => x - y)))
}
</script>

<template>
  <h2>Preflight</h2>
  <p>Every record is checked against the dispatch before anything leaves.</p>
  <ul v-if="bench.obstacles.length" class="stops">
    <li v-for="obstacle in bench.obstacles" :key="obstacle.message">
      {{ obstacle.message }}
      <RouterLink :to="{ path: `/dispatches/${bench.key}/${obstacle.station}`, query: $route.query }"
        >Mend it</RouterLink
      >
    </li>
  </ul>
  <ul v-if="bench.hints.length" class="hints">
    <li v-for="(hint, index) in bench.hints" :key="index">
      <span class="code name">{{ hint.placeholder }}</span> {{ hint.message }}
    </li>
  </ul>
  <ul v-if="notes.length" class="hints">
    <li v-for="note in notes" :key="note.message">
      <template v-if="note.rows.some(Boolean)"
        >{{ count(note.rows.length, 'record') }}: {{ note.message }} <span class="quiet">Rows</span></template
      >
      <template v-else>{{ note.message }}</template>
      <template v-for="(row, index) in note.rows.filter(Boolean).slice(0, 12)" :key="row">
        <button type="button" class="plain" @click="$emit('pick', row)">{{ row }}</button>{{
          index + 1 < Math.min(note.rows.length, 12) ? ', ' : ''
        }}
      </template>
      <span v-if="note.rows.length > 12" class="quiet">and {{ note.rows.length - 12 }} more</span>
    </li>
  </ul>
  <template v-if="findings?.length">
    <div class="line">
      <span class="say wrong">{{
        rows.length ? `${count(rows.length, 'record')} with findings` : 'findings'
      }}</span>
      <el-button v-if="rows.length" @click="leaveOut(rows)">Leave {{ rows.length }} out</el-button>
    </div>
    <table class="list">
      <colgroup>
        <col style="width: 50px" />
        <col style="width: 27%" />
        <col />
        <col style="width: 82px" />
      </colgroup>
      <thead>
        <tr>
          <th class="num">Row</th>
          <th>Record</th>
          <th>Finding</th>
          <th />
        </tr>
      </thead>
      <tbody>
        <tr v-for="(finding, index) in findings.slice(0, 300)" :key="index">
          <td class="num quiet">{{ finding.row || '' }}</td>
          <td>
            <button v-if="finding.row" type="button" class="plain" @click="$emit('pick', finding.row)">
              {{ finding.label }}
            </button>
            <template v-else>{{ finding.label }}</template>
          </td>
          <td class="why">
            <span v-if="finding.placeholder" class="code name">{{ finding.placeholder }}</span>
            {{ finding.message }}
          </td>
          <td><el-button v-if="finding.row" text @click="leaveOut([finding.row])">Leave out</el-button></td>
        </tr>
      </tbody>
    </table>
    <p v-if="findings.length > 300" class="quiet">and {{ findings.length - 300 }} more</p>
  </template>
  <p v-else-if="findings && !bench.obstacles.length">
    <span class="say right">clear</span> {{ count(bench.records.length, 'record') }} checked; nothing stops
    the run.
  </p>
  <p v-if="bench.setup.left_out.length" class="quiet">
    {{ count(bench.setup.left_out.length, 'record') }} left out: rows
    {{ bench.setup.left_out.slice(0, 12).join(', ') }}{{ bench.setup.left_out.length > 12 ? ', …' : '' }}
    <el-button text @click="change((b) => (b.setup.left_out = []))">Take them in again</el-button>
  </p>
</template>

<style scoped>
.hints {
  list-style: none;
  margin: 0 0 12px;
  padding: 6px 10px;
  border-left: 2px solid var(--attention);
  background: var(--attention-tint);
}
.stops {
  list-style: none;
  margin: 0 0 14px;
  padding: 8px 12px;
  background: var(--attention-tint);
  border-left: 3px solid var(--attention);
}
.line {
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin-bottom: 6px;
}
.plain {
  border: 0;
  background: none;
  padding: 0;
  cursor: pointer;
  text-decoration: underline dotted;
}
table.list td.why {
  white-space: normal;
  padding-block: 6px;
}
</style>
