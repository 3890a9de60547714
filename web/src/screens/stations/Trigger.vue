<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'

import type { Bench } from '../../api/bench'
import { api, ask, attempt, type Schemas } from '../../api/client'
import { said } from '../../api/diagnostics'
import { moment } from '../../api/words'
import AddMenu from '../../parts/AddMenu.vue'
import Group from '../../parts/Group.vue'
import SwitchBar from '../../parts/SwitchBar.vue'
import { triggerKind, triggerKinds, type Trigger, type TriggerSetup } from '../../registries/triggers'

/** What starts runs by itself, and what it has started. */
const props = defineProps<{
  bench: Bench
  change: (work: (bench: Bench) => void, soon?: boolean) => void
}>()
const emit = defineEmits<{ started: [] }>()
type Firing = Schemas['Firing']

const found = ref<Schemas['Triggers']>()
const params = () => ({ params: { path: { key: props.bench.key } } })
/** What its triggers have started, to see whether anything is new. */
const told = () => JSON.stringify(found.value?.firings.map((one) => [one.id, one.state]))
async function read() {
  const before = found.value && told()
  await attempt(async () => (found.value = await ask(api.GET('/api/dispatches/{key}/firings', params()))))
  // Records have come, or have their documents now.
  if (before !== undefined && before !== told()) emit('started')
}
onMounted(read)
watch(() => props.bench.revision, read)
useIntervalFn(() => props.bench.setup.triggers.some((one) => one.on) && read(), 3000)

const info = (own: TriggerSetup) => found.value?.triggers.find((one) => one.id === own.id)
const name = (firing: Firing) => triggerKind(firing.kind)?.name ?? firing.kind
const STATES: Record<string, [string, string]> = {
  due: ['Starting', ''],
  started: ['Started', 'right'],
  nothing: ['Nothing to do', ''],
  waiting: ['Waiting', 'att'],
  missed: ['Missed', ''],
  dismissed: ['Dismissed', ''],
}
const waiting = computed(() => found.value?.firings.filter((one) => one.state === 'waiting').length ?? 0)

function add(kind: string) {
  const start = triggerKind(kind)?.start
  if (!start) return
  props.change((b) => b.setup.triggers.push({ id: 0, on: false, hold: false, trigger: start() }))
}
const remove = (at: number) => props.change((b) => b.setup.triggers.splice(at, 1))
const set = (at: number, work: (one: TriggerSetup) => void, soon?: boolean) =>
  props.change((b) => {
    const one = b.setup.triggers[at]
    if (one) work(one)
  }, soon)
const setTrigger = (at: number, work: (trigger: Trigger) => void, soon?: boolean) =>
  set(at, (one) => work(one.trigger), soon)

async function retry(firing: Firing) {
  const options = { params: { path: { id: firing.id } } }
  await attempt(() => ask(api.POST('/api/firings/{id}/retry', options)))
  await read()
}
async function dismiss(firing: Firing) {
  const options = { params: { path: { id: firing.id } } }
  await attempt(() => ask(api.POST('/api/firings/{id}/dismiss', options)))
  await read()
}
</script>

<template>
  <h2>Trigger</h2>
  <p v-if="!bench.setup.triggers.length">
    Runs are started by hand. Add a trigger to start them by themselves.
  </p>
  <Group
    v-for="(one, at) in bench.setup.triggers"
    :key="one.id || `new ${at}`"
    :title="triggerKind(one.trigger.kind)?.name ?? one.trigger.kind"
  >
    <SwitchBar
      :on="one.on"
      :name="triggerKind(one.trigger.kind)?.name ?? one.trigger.kind"
      :says="info(one)?.words"
      @set="(on) => set(at, (t) => (t.on = on))"
      @remove="remove(at)"
    />
    <component
      :is="triggerKind(one.trigger.kind)?.settings"
      :bench="bench"
      :trigger="one.trigger"
      :info="info(one)"
      :change="(work: (trigger: Trigger) => void, soon?: boolean) => setTrigger(at, work, soon)"
    />
    <div class="wide hold">
      <el-checkbox
        :model-value="one.hold"
        label="Put its deliveries on hold until I release them"
        @change="(hold) => set(at, (t) => (t.hold = Boolean(hold)))"
      />
    </div>
    <p v-for="problem in info(one)?.problems" :key="said(problem)" class="wide problem">
      {{ said(problem) }}
    </p>
  </Group>
  <AddMenu label="Add trigger" :kinds="triggerKinds" @add="add" />
  <template v-if="found?.firings.length">
    <h2>
      Started<span v-if="waiting" class="say att waits">{{ waiting }} waiting for you</span>
    </h2>
    <table class="list">
      <thead>
        <tr>
          <th style="width: 130px">Time</th>
          <th style="width: 116px">Trigger</th>
          <th style="width: 96px">State</th>
          <th>Result</th>
          <th style="width: 160px"><span class="unseen">Act</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in found.firings" :key="one.id">
          <td class="quiet">{{ moment(one.at) }}</td>
          <td>{{ name(one) }}</td>
          <td>
            <span class="say" :class="STATES[one.state]?.[1]">{{ STATES[one.state]?.[0] ?? one.state }}</span>
          </td>
          <td class="why" :title="one.message">
            <RouterLink v-if="one.run" :to="`/runs/${one.run}`">Run {{ one.run }}</RouterLink>
            {{ one.message }}
          </td>
          <td class="does">
            <el-button
              v-if="['waiting', 'missed', 'dismissed'].includes(one.state)"
              size="small"
              :aria-label="`Try again: ${name(one)}, ${moment(one.at)}`"
              @click="retry(one)"
              >Try again</el-button
            >
            <el-button
              v-if="one.state === 'waiting'"
              size="small"
              :aria-label="`Dismiss: ${name(one)}, ${moment(one.at)}`"
              @click="dismiss(one)"
              >Dismiss</el-button
            >
          </td>
        </tr>
      </tbody>
    </table>
  </template>
</template>

<style scoped>
h2 {
  margin-top: 20px;
}
h2:first-child {
  margin-top: 0;
}
.hold {
  margin-top: 8px;
}
.waits {
  margin-left: 10px;
  font-size: 12px;
}
.why {
  white-space: normal;
}
.does {
  text-align: right;
}
</style>
