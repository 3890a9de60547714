<script setup lang="ts">
import { documentsInWords, type Bench } from '../../api/bench'
import { clock, shortDay } from '../../api/words'
import StateWord from '../../parts/StateWord.vue'

defineProps<{ bench: Bench; ready: boolean }>()
defineEmits<{ run: [] }>()
</script>

<template>
  <h2>Run</h2>
  <p v-if="ready">Ready to run {{ documentsInWords(bench) }}. You can close this page during the run.</p>
  <p v-else>The run is blocked. See Preflight.</p>
  <el-button v-if="ready" type="primary" @click="$emit('run')">Run {{ documentsInWords(bench) }}</el-button>
  <RouterLink v-else :to="{ path: `/dispatches/${bench.key}/preflight`, query: $route.query }"
    >Go to Preflight</RouterLink
  >
  <table v-if="bench.runs.length" class="list runs">
    <thead>
      <tr>
        <th>Run</th>
        <th style="width: 150px">State</th>
        <th class="num" style="width: 90px">Done</th>
        <th class="num" style="width: 70px">Failed</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="run in bench.runs" :key="run.id">
        <td>
          <RouterLink :to="`/runs/${run.id}`"
            >{{ shortDay(run.started) }} {{ clock(run.started)
            }}{{ run.kind === 'proof' ? ', proofs' : '' }}</RouterLink
          >
        </td>
        <td><StateWord :state="run.state" :failed="run.failed" /></td>
        <td class="num">{{ run.delivered }}</td>
        <td class="num" :class="{ problem: run.failed }">{{ run.failed || '' }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.runs {
  margin-top: 20px;
}
</style>
