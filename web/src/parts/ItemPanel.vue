<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import { retryItem } from '../api/retry'
import { clock, count, day, deliveryState, eventWord, shortDay, size, span } from '../api/words'
import StateWord from './StateWord.vue'

type Item = Schemas['ItemInfo']
type Delivery = Schemas['DeliveryInfo']

/** One record's way through a run: its documents, its deliveries, and what happened. */
const props = defineProps<{ item: Item; page?: boolean }>()
const emit = defineEmits<{ changed: [run: number] }>()
const events = ref<Schemas['EventInfo'][]>([])

watch(
  () => props.item,
  async (item) => {
    const params = { path: { id: item.id } }
    events.value = (await attempt(() => ask(api.GET('/api/items/{id}/events', { params })))) ?? []
  },
  { immediate: true },
)

type Act = 'release' | 'send-now' | 'withdraw' | 'send-again' | 'confirm'
const ACTS: Record<string, [Act, string][]> = {
  blocked: [['release', 'Release']],
  scheduled: [['send-now', 'Send now']],
  uncertain: [
    ['confirm', 'Mark as delivered'],
    ['send-again', 'Send again'],
  ],
}
const acts = (one: Delivery): [Act, string][] => [
  ...(ACTS[one.state] ?? []),
  ...(one.revocable ? ([['withdraw', 'Withdraw']] as [Act, string][]) : []),
]
const failed = computed(() => props.item.state === 'failed')

async function act(delivery: Delivery, what: Act) {
  const text = `Send to ${delivery.recipient} again? It may already have arrived.`
  const asked = { title: 'Send again', text, act: 'Send it again', cancel: 'Cancel', destroys: true }
  if (what === 'send-again' && !(await confirmed(asked))) return
  const back = {
    title: 'Withdraw',
    text: 'The link stops working for good. Whoever opens it is told that the document was withdrawn.',
    act: 'Withdraw link',
    cancel: 'Cancel',
    destroys: true,
  }
  if (what === 'withdraw' && delivery.state === 'delivered' && !(await confirmed(back))) return
  const params = { path: { id: delivery.id } }
  const run = await attempt(() => ask(api.POST(`/api/deliveries/{id}/${what}`, { params })))
  if (run) emit('changed', run.id)
}

const alike = (one: Delivery) =>
  props.item.deliveries.filter((own) => own.kind === one.kind && own.name === one.name)
/** Whether it can go to the same people again: the last of those that went. */
const repeats = (one: Delivery) =>
  one.repeatable &&
  alike(one).every((own) => own.id <= one.id || own.state === 'withdrawn' || own.state === 'skipped')
async function repeat(one: Delivery) {
  const times = alike(one).filter((own) => own.state === 'delivered' || own.state === 'uncertain').length
  const when = `${shortDay(one.changed)} at ${clock(one.changed)}`
  const text = `“${props.item.file_name}” was delivered to ${one.recipient} on ${when}${times > 1 ? `, ${times} times in all` : ''}. Send it to them again?`
  if (!(await confirmed({ title: 'Send again', text, act: 'Send it again', destroys: true }))) return
  const params = { path: { id: one.id } }
  const run = await attempt(() => ask(api.POST('/api/deliveries/{id}/repeat', { params, body: { times } })))
  if (run) emit('changed', run.id)
}

async function retry() {
  const run = await retryItem(props.item)
  if (run) emit('changed', run)
}
</script>

<template>
  <div class="panel-body">
    <h2 v-if="!page">{{ item.label }}{{ item.row ? `, row ${item.row}` : '' }}</h2>
    <p v-if="!page || failed" class="now">
      <StateWord :state="item.state" />
      <el-button v-if="failed" @click="retry">Retry</el-button>
    </p>
    <p v-if="item.error_message" class="problem">{{ item.error_place }}: {{ item.error_message }}</p>
    <template v-if="item.documents.length && !page">
      <h3>Documents</h3>
      <p><RouterLink :to="`/documents/${item.id}`">Open document page</RouterLink></p>
      <p v-for="one in item.documents" :key="one.id" class="line">
        <a :href="`/api/documents/${one.id}`" target="_blank">{{ one.name }}</a>
        <span class="quiet"
          >{{ one.pages ? `${count(one.pages, 'page')}, ` : '' }}{{ one.size ? size(one.size) : '' }}</span
        >
      </p>
    </template>
    <template v-if="item.deliveries.length">
      <h3>Deliveries</h3>
      <section v-for="one in item.deliveries" :key="one.id" class="delivery" :aria-label="one.name">
        <p class="line">
          <b>{{ one.name }}</b> <StateWord :state="deliveryState(one)" />
        </p>
        <p v-if="one.kind === 'link' && one.recipient" class="text">
          <a :href="one.recipient" target="_blank" rel="noopener">{{ one.recipient }}</a>
        </p>
        <p v-else-if="one.recipient" class="text">{{ one.recipient }}</p>
        <p v-if="one.error_message" class="problem">
          {{ one.error_message
          }}<template v-if="one.state === 'to send' && one.next_try_in">
            Next attempt in {{ span(one.next_try_in) }}.</template
          >
        </p>
        <p v-if="one.state === 'scheduled' || (one.state === 'blocked' && one.opens)" class="quiet">
          {{ one.state === 'blocked' ? 'Not before' : 'On' }} {{ day(one.opens) }}, {{ clock(one.opens) }}
        </p>
        <p v-if="one.attempts > 1" class="quiet">{{ count(one.attempts, 'attempt') }}</p>
        <p v-if="one.passcode" class="quiet">
          Passcode <b>{{ one.passcode }}</b>
        </p>
        <p v-if="one.opened" class="quiet">Opened {{ count(one.opened, 'time') }}</p>
        <p v-if="acts(one).length || repeats(one)" class="acts">
          <el-button v-if="repeats(one)" @click="repeat(one)">Send again…</el-button>
          <el-button v-for="[what, label] in acts(one)" :key="what" @click="act(one, what)">{{
            label
          }}</el-button>
        </p>
      </section>
    </template>
    <h3>History</h3>
    <ol v-if="events.length">
      <li v-for="one in events" :key="one.id">
        <span class="quiet when">{{ shortDay(one.at) }}, {{ clock(one.at) }}</span>
        <div>
          {{ one.channel ? `${one.channel}: ` : '' }}{{ eventWord(one.what) }}
          <div v-if="one.detail && one.what !== 'made'" class="quiet text">{{ one.detail }}</div>
        </div>
      </li>
    </ol>
    <p v-else class="quiet">Nothing yet.</p>
  </div>
</template>

<style scoped>
h2 {
  margin: 0;
  font-size: 13px;
}
h3 {
  margin: 6px 0 -4px;
  font-size: 12px;
  color: var(--ink-2);
}
p {
  margin: 0;
}
.now,
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
  min-height: 24px;
}
.line a,
.text {
  overflow-wrap: anywhere;
}
.delivery {
  border-top: 1px solid var(--line);
  padding: 4px 0;
}
.acts {
  display: flex;
  gap: 8px;
  padding-top: 4px;
}
.acts .el-button {
  margin: 0;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 88px minmax(0, 1fr);
  gap: 8px;
  padding: 3px 0;
}
.when {
  font-variant-numeric: tabular-nums;
}
</style>
