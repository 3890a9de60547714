<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useIntervalFn } from '@vueuse/core'
import { useRoute, useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { retryItem } from '../api/retry'
import { done, useRuns, wrongOf } from '../api/runs'
import { clock, count, size, span } from '../api/words'
import ChannelCounts from '../parts/ChannelCounts.vue'
import ItemPanel from '../parts/ItemPanel.vue'
import RunHead from '../parts/RunHead.vue'
import RowTable from '../parts/RowTable.vue'
import StateWord from '../parts/StateWord.vue'
import { enter } from '../router'

type Item = Schemas['ItemInfo']
const props = defineProps<{ id: string }>()
const store = useRuns()
const router = useRouter()
const route = useRoute()
const id = computed(() => Number(props.id))
const run = computed(() => store.runs.find((r) => r.id === id.value))
/** The state that is shown alone; summaries of runs name it in their links. */
const only = ref(typeof route.query.state === 'string' ? route.query.state : undefined)
const version = ref(0)
const params = () => ({ path: { id: id.value } })

const load = () => enter(() => store.refresh(id.value))
onMounted(load)
watch(id, load)
watch([run, only], () => version.value++)
// Tries that wait tell no one when their time comes.
useIntervalFn(() => run.value?.sending && version.value++, 3000)

const tabs = computed(() => {
  const r = run.value
  if (!r) return []
  const all: [string | undefined, string, number][] = [
    [undefined, 'All', r.count],
    ['waiting', 'Waiting', r.waiting],
    ['blocked', 'On hold', r.blocked],
    ['scheduled', 'Scheduled', r.scheduled],
    ['signing', 'Signing', r.signing],
    ['to send', 'To send', r.sending],
    r.sends ? ['delivered', 'Delivered', r.delivered] : ['made', 'Stored', r.delivered],
    ['uncertain', 'Uncertain', r.uncertain],
    ['failed', 'Failed', r.failed],
    ['left out', 'Left out', r.left_out],
  ]
  return all.filter(([state, , number]) => !state || number)
})
const total = computed(() => tabs.value.find(([state]) => state === only.value)?.[2] ?? run.value?.count ?? 0)

// The rate over the last half minute.
const marks = ref<{ at: number; done: number }[]>([])
watch(
  () => run.value && done(run.value),
  (number) => {
    if (number === undefined) return
    const now = Date.now()
    marks.value = [...marks.value.filter((m) => now - m.at < 30_000), { at: now, done: number }]
  },
)
const rate = computed(() => {
  const [first, last] = [marks.value[0], marks.value[marks.value.length - 1]]
  return first && last && last.at > first.at ? ((last.done - first.done) * 1000) / (last.at - first.at) : 0
})

async function items(from: number, number: number): Promise<Item[]> {
  const query = { state: only.value, from, count: number }
  return await ask(api.GET('/api/runs/{id}/items', { params: { ...params(), query } }))
}

/** The item whose history is shown beside the list: `?at=` its position in the run. */
const opened = ref<Item>()
const at = computed(() => Number(route.query.at) || 0)
async function fetchOpened() {
  if (!at.value) return (opened.value = undefined)
  const query = { from: at.value - 1, count: 1 }
  const found = await attempt(() => ask(api.GET('/api/runs/{id}/items', { params: { ...params(), query } })))
  if (found?.[0]?.position === at.value) opened.value = found[0]
}
const look = (item: Item) =>
  router.replace({ query: at.value === item.position ? {} : { at: item.position } })
watch([id, at, version], fetchOpened, { immediate: true })
/** Something was decided about the item beside the list: it is read again. */
async function changed() {
  await store.refresh(id.value)
  version.value++
}
const nextTry = (item: Item) =>
  item.deliveries.find((d) => d.state === 'to send' && d.error_message)?.next_try_in ?? 0
const goesTo = (item: Item) =>
  item.deliveries
    .filter((d) => d.state !== 'skipped')
    .map((d) => d.recipient)
    .join(', ')
const bytes = (item: Item) => item.documents.reduce((sum, d) => sum + d.size, 0)
async function retryOne(item: Item) {
  const run = await retryItem(item)
  if (run) await store.refresh(run)
}
</script>

<template>
  <div v-if="run" class="screen">
    <RunHead :run="run" />
    <p v-if="run.trouble" class="problem trouble" role="alert">
      The run can’t continue for now. {{ run.trouble }} Mangle will try again by itself.
    </p>
    <div
      class="progress"
      role="progressbar"
      aria-label="Documents that are done"
      :aria-valuenow="done(run)"
      :aria-valuemax="run.count"
    >
      <i :style="{ width: `${(100 * done(run)) / Math.max(1, run.count)}%` }" />
    </div>
    <div class="tabs">
      <button
        v-for="[state, label, number] in tabs"
        :key="label"
        type="button"
        :class="{ here: state === only }"
        @click="only = state"
      >
        {{ label }} {{ number }}
      </button>
      <span class="push quiet">
        {{ run.delivered }} of {{ count(run.count, 'document') }} {{ run.sends ? 'delivered' : 'stored'
        }}<template v-if="run.failed">, {{ run.failed }} failed</template
        ><template v-if="run.state === 'running' && rate > 0"
          >, {{ rate.toFixed(rate < 10 ? 1 : 0) }} per second, about
          {{ span((run.count - done(run)) / rate) }} left</template
        ><template v-else-if="run.finished">, finished {{ clock(run.finished) }}</template>
      </span>
    </div>
    <ChannelCounts v-if="run.sends" :run="run" />
    <div class="two" :class="{ beside: opened }">
      <RowTable :total="total" :version="version" :fetch="items" label="Items" @open="look">
        <template #head>
          <th class="num" style="width: 56px">Row</th>
          <th style="width: 190px">Record</th>
          <th style="width: 100px">State</th>
          <th style="width: 230px">Document</th>
          <th class="num" style="width: 70px">Size</th>
          <th>Recipient or error</th>
          <th style="width: 80px"><span class="unseen">Act</span></th>
        </template>
        <template #row="{ row }: { row: Item }">
          <td class="num quiet">{{ row.row || 'all' }}</td>
          <td :title="row.label">
            <button type="button" class="plain" :aria-expanded="at === row.position" @click="look(row)">
              {{ row.label }}
            </button>
          </td>
          <td><StateWord :state="row.state" /></td>
          <td :title="row.file_name">
            <a
              v-for="(one, nth) in row.documents"
              :key="one.id"
              :class="{ quiet: nth }"
              :href="`/api/documents/${one.id}`"
              target="_blank"
              >{{ nth ? ` ${one.format.toUpperCase()}` : row.file_name }}</a
            >
          </td>
          <td class="num">{{ bytes(row) ? size(bytes(row)) : '' }}</td>
          <td v-if="wrongOf(row)" class="problem" :title="wrongOf(row)">
            {{ wrongOf(row)
            }}<template v-if="nextTry(row)"> Next attempt in {{ span(nextTry(row)) }}.</template>
          </td>
          <td v-else class="quiet" :title="goesTo(row)">{{ goesTo(row) ? `to ${goesTo(row)}` : '' }}</td>
          <td>
            <el-button v-if="row.state === 'failed'" text @click="retryOne(row)">Retry</el-button>
            <el-button v-else-if="row.state === 'uncertain'" text @click="look(row)">Decide</el-button>
          </td>
        </template>
      </RowTable>
      <aside v-if="opened" class="item-panel" aria-label="Record">
        <el-button text class="shut" aria-label="Close" @click="router.replace({ query: {} })"
          >Close</el-button
        >
        <ItemPanel :item="opened" @changed="changed" />
      </aside>
    </div>
  </div>
</template>

<style scoped>
.two {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
}
.two.beside {
  grid-template-columns: minmax(0, 1fr) 340px;
}
.item-panel {
  position: relative;
  border-left: 1px solid var(--line);
  padding: 12px 16px;
  overflow: auto;
}
.shut {
  position: absolute;
  right: 8px;
  top: 6px;
}
.plain {
  border: 0;
  padding: 0;
  min-height: 24px;
  max-width: 100%;
  background: none;
  font: inherit;
  color: inherit;
  text-align: left;
  cursor: pointer;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.plain:hover {
  text-decoration: underline;
}
.trouble {
  margin: 0;
  max-width: none;
  padding: 6px 16px;
  background: var(--wrong-tint);
}
.progress {
  height: 4px;
  flex: none;
  background: var(--line);
}
.progress i {
  display: block;
  height: 4px;
  background: var(--accent);
  transition: width 0.2s;
}
.tabs {
  height: 38px;
  flex: none;
  display: flex;
  align-items: center;
  gap: 16px;
  padding: 0 16px;
  border-bottom: 1px solid var(--line);
}
.tabs button {
  border: 0;
  background: none;
  padding: 4px 0;
  cursor: pointer;
  border-bottom: 2px solid transparent;
}
.tabs button.here {
  font-weight: 600;
  border-color: var(--accent);
}
</style>
