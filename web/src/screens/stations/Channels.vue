<script setup lang="ts">
import { nextTick, ref } from 'vue'

import type { Bench } from '../../api/bench'
import type { Schemas } from '../../api/client'
import { said, stationOf } from '../../api/diagnostics'
import AddMenu from '../../parts/AddMenu.vue'
import FormLine from '../../parts/FormLine.vue'
import FormulaInput from '../../parts/FormulaInput.vue'
import Group from '../../parts/Group.vue'
import SwitchBar from '../../parts/SwitchBar.vue'
import {
  channelKind,
  channelKinds,
  channelName,
  type Channel,
  type ChannelSetup,
} from '../../registries/channels'

const props = defineProps<{
  bench: Bench
  page: Schemas['PageView'] | undefined
  change: (work: (bench: Bench) => void, soon?: boolean) => void
}>()

const list = ref<HTMLElement>()

async function add(kind: string) {
  const found = channelKind(kind)
  if (!found) return
  const channel = found.start(props.bench)
  props.change((b) =>
    b.setup.channels.push({
      on: true,
      name: '',
      condition: '',
      moment: 'at-once',
      time: '',
      per_hour: null,
      channel,
    }),
  )
  await nextTick()
  list.value?.lastElementChild?.scrollIntoView({ block: 'start' })
}

const remove = (at: number) => props.change((b) => b.setup.channels.splice(at, 1))
const set = (at: number, work: (one: ChannelSetup) => void, soon?: boolean) =>
  props.change((b) => {
    const one = b.setup.channels[at]
    if (one) work(one)
  }, soon)
const setChannel = (at: number, work: (channel: Channel) => void, soon?: boolean) =>
  set(at, (one) => work(one.channel), soon)

/** What is set of the options that are folded away. */
function says(one: ChannelSetup) {
  const when = {
    'at-once': 'at once',
    'after-release': 'after release',
    'at-time': `at ${one.time.trim() || 'a time'}`,
    'after-signing': 'after signing',
  }[one.moment]
  const most = one.per_hour ? `, at most ${one.per_hour} an hour` : ''
  return one.condition.trim() ? `${when}, if ${one.condition.trim()}${most}` : `every record, ${when}${most}`
}

/** What a channel will do for the current record. */
const planned = (at: number) => props.page?.deliveries.find((one) => one.channel === at)
</script>

<template>
  <h2>Channels</h2>
  <p v-if="!bench.setup.channels.length">
    Documents are only stored here. Add a channel to send or save them elsewhere.
  </p>
  <div ref="list">
    <Group v-for="(one, at) in bench.setup.channels" :key="at" :title="channelName(one)">
      <SwitchBar
        :on="one.on"
        :name="channelName(one)"
        @set="(on) => set(at, (c) => (c.on = on))"
        @remove="remove(at)"
      />
      <template v-if="one.on">
        <component
          :is="channelKind(one.channel.kind)?.settings"
          :bench="bench"
          :channel="one.channel"
          :change="(work: (channel: Channel) => void, soon?: boolean) => setChannel(at, work, soon)"
        />
        <Group class="wide" title="When" :says="says(one)" fold :level="3">
          <FormLine
            class="wide"
            label="Condition"
            about="Blank for every record. Example: e-mail is not blank"
          >
            <FormulaInput
              :model-value="one.condition"
              :sheet="bench.sheet_id ?? undefined"
              :label="`Condition of ${channelName(one)}`"
              @update:model-value="(text: string) => set(at, (c) => (c.condition = text), true)"
            />
          </FormLine>
          <FormLine group label="Deliver">
            <el-radio-group
              :model-value="one.moment"
              :aria-label="`When ${channelName(one)} delivers`"
              @change="(v) => set(at, (c) => (c.moment = v as typeof one.moment))"
            >
              <el-radio value="at-once">At once</el-radio
              ><el-radio value="after-release">After release</el-radio
              ><el-radio value="at-time">At a time</el-radio
              ><el-radio value="after-signing" :disabled="!bench.setup.signing.on">After signing</el-radio>
            </el-radio-group>
          </FormLine>
          <FormLine
            v-if="one.moment === 'at-time'"
            class="wide"
            label="Time"
            about="A date and time, e.g. 2026-12-01 08:00, or a field with one, e.g. due date - 7"
          >
            <FormulaInput
              :model-value="one.time"
              :sheet="bench.sheet_id ?? undefined"
              :label="`Time of ${channelName(one)}`"
              @update:model-value="(text: string) => set(at, (c) => (c.time = text), true)"
            />
          </FormLine>
          <FormLine label="Limit an hour" about="Blank for no limit. Spreads a run over several hours.">
            <el-input-number
              :model-value="one.per_hour ?? undefined"
              :min="1"
              :max="100000"
              :controls="false"
              :aria-label="`Limit an hour of ${channelName(one)}`"
              @change="(v: number | undefined) => set(at, (c) => (c.per_hour = v ?? null))"
            />
          </FormLine>
          <FormLine label="Name">
            <el-input
              :model-value="one.name"
              :placeholder="channelKind(one.channel.kind)?.name"
              @update:model-value="(text: string) => set(at, (c) => (c.name = text), true)"
            />
          </FormLine>
        </Group>
        <div v-if="planned(at)" class="wide preview">
          <p class="quiet">For this record</p>
          <p v-if="planned(at)?.skipped" class="quiet">Skipped: the condition is false.</p>
          <dl v-else>
            <template v-for="line in planned(at)?.shown" :key="line.label">
              <dt>{{ line.label }}</dt>
              <dd>{{ line.text }}</dd>
            </template>
          </dl>
        </div>
      </template>
    </Group>
  </div>
  <AddMenu label="Add channel" :kinds="channelKinds" @add="add" />
  <p
    v-for="obstacle in bench.obstacles.filter((o) => stationOf(o) === 'channels')"
    :key="said(obstacle)"
    class="problem"
  >
    {{ said(obstacle) }}
    <RouterLink v-if="obstacle.target.kind === 'settings'" to="/settings">Settings</RouterLink>
  </p>
</template>

<style scoped>
.preview {
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  color: var(--ink);
  padding: 8px 12px;
}
.preview p {
  margin: 0 0 4px;
}
dl {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 2px 12px;
  margin: 0;
}
dt {
  color: var(--ink-2);
}
dd {
  margin: 0;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
