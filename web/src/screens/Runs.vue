<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { useRuns, wrongOf } from '../api/runs'
import { clock, shortDay } from '../api/words'
import ListFoot, { type FootLine } from '../parts/ListFoot.vue'
import StateWord from '../parts/StateWord.vue'

const store = useRuns()

const dispatches = ref<Schemas['DispatchInfo'][]>([])
onMounted(() => attempt(async () => (dispatches.value = await ask(api.GET('/api/dispatches')))))

/** The failed documents of the newest runs that have some. */
const failed = ref<FootLine[]>([])
const failing = computed(() => store.runs.filter((run) => run.failed).slice(0, 3))
watch(
  () => failing.value.map((run) => `${run.id} ${run.failed}`).join(),
  async () => {
    const found = await Promise.all(
      failing.value.map(async ({ id }) => {
        const params = { path: { id }, query: { state: 'failed', count: 4 } }
        const items = await ask(api.GET('/api/runs/{id}/items', { params })).catch(() => [])
        return items.map((item) => ({
          to: `/runs/${id}`,
          name: item.file_name || item.label,
          text: wrongOf(item) ?? '',
          tone: 'wrong' as const,
        }))
      }),
    )
    failed.value = found.flat().slice(0, 6)
  },
  { immediate: true },
)
const foot = computed(() => [
  { title: 'Failed documents', none: 'None.', lines: failed.value },
  {
    title: 'Dispatches not run yet',
    none: 'Every dispatch has been run.',
    lines: dispatches.value
      .filter((one) => !one.last_run)
      .slice(0, 6)
      .map((one) => ({ to: `/dispatches/${one.key}/preflight`, name: one.name, text: 'Open Preflight' })),
  },
])
</script>

<template>
  <div class="screen">
    <div class="head"><h1>Runs</h1></div>
    <div class="body">
      <table v-if="store.runs.length" class="list">
        <thead>
          <tr>
            <th>Run</th>
            <th style="width: 150px">Started</th>
            <th style="width: 150px">State</th>
            <th class="num" style="width: 100px">Documents</th>
            <th class="num" style="width: 100px">Finished</th>
            <th class="num" style="width: 80px">Failed</th>
            <th class="num" style="width: 96px">Uncertain</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="run in store.runs" :key="run.id">
            <td>
              <RouterLink :to="`/runs/${run.id}`"
                ><b>{{ run.dispatch_name }}</b></RouterLink
              >
              <span class="quiet"> run {{ run.id }}{{ run.kind === 'proof' ? ', proofs' : '' }}</span>
            </td>
            <td class="quiet">{{ shortDay(run.started) }} {{ clock(run.started) }}</td>
            <td><StateWord :state="run.state" :failed="run.failed" /></td>
            <td class="num">{{ run.count }}</td>
            <td class="num">{{ run.delivered }}</td>
            <td class="num">{{ run.failed || '' }}</td>
            <td class="num">{{ run.uncertain || '' }}</td>
          </tr>
        </tbody>
      </table>
      <ListFoot v-if="store.runs.length && store.runs.length < 12" :sections="foot" />
      <div v-if="!store.runs.length" class="empty">
        <h2>No runs yet</h2>
        <p>Run a dispatch to see the status of each document here.</p>
        <RouterLink to="/dispatches">Go to Dispatches</RouterLink>
      </div>
    </div>
  </div>
</template>
