<script setup lang="ts">
import { computed, onMounted, ref, toRef, watch } from 'vue'
import { useEventListener } from '@vueuse/core'
import { useRoute, useRouter } from 'vue-router'

import { documentsInWords, useBench } from '../api/bench'
import { stationOf } from '../api/diagnostics'
import { clock, count as count_ } from '../api/words'
import DispatchMenu from '../parts/DispatchMenu.vue'
import PageView from '../parts/PageView.vue'
import ProofDialog from '../parts/ProofDialog.vue'
import RunDialog from '../parts/RunDialog.vue'
import Stations from '../parts/Stations.vue'
import { enter } from '../router'
import ChannelsStation from './stations/Channels.vue'
import PreflightStation from './stations/Preflight.vue'
import RecordsStation from './stations/Records.vue'
import OutputStation from './stations/Output.vue'
import RunStation from './stations/Run.vue'
import SigningStation from './stations/Signing.vue'
import TriggerStation from './stations/Trigger.vue'
import TemplateStation from './stations/Template.vue'
import MappingStation from './stations/Mapping.vue'

const props = defineProps<{ dispatch: string; station?: string }>()
const route = useRoute()
const router = useRouter()
const at = computed(() => props.station || 'mapping')
const b = useBench(
  toRef(props, 'dispatch'),
  (key) => router.replace({ path: `/dispatches/${key}/${props.station ?? ''}`, query: route.query }),
  computed(() => at.value === 'preflight'),
)
const { bench, causes, notes, state } = b
const proofs = ref(false)
const running = ref(false)

const count = computed(() => bench.value?.records.length ?? 0)
const found = computed(() => b.rowsWithFindings.value.size)
const ready = computed(
  () =>
    !!bench.value &&
    count.value > 0 &&
    !bench.value.obstacles.length &&
    !!causes.value &&
    !causes.value.length,
)
/** What the main button does. */
const main = computed(() => {
  if (!bench.value) return ''
  const stops = bench.value.obstacles.length
  if (stops) return `Fix ${count_(stops, 'problem')}`
  return b.wrong.value ? `Fix ${count_(b.wrong.value, 'finding')}` : `Run ${documentsInWords(bench.value)}`
})
/** Pressed while the records were still being checked: goes on when they are. */
const wanted = ref(false)
function act() {
  const stop = bench.value?.obstacles[0]
  if (ready.value) return void (running.value = true)
  if (stop) return void router.push(`/dispatches/${props.dispatch}/${stationOf(stop)}`)
  wanted.value = !causes.value
  void router.push(`/dispatches/${props.dispatch}/preflight`)
}
watch(causes, () => {
  if (!wanted.value || !causes.value) return
  wanted.value = false
  running.value = ready.value
})
watch(bench, () => (wanted.value = false))
const saved = computed(
  () =>
    ({
      saved: `Saved ${clock(bench.value?.changed)}`,
      saving: 'Saving…',
      unsaved: 'Not saved yet',
      elsewhere: 'Not saved',
    })[state.value],
)

const load = () => enter(() => b.load(Number(route.query.row) || undefined))
onMounted(load)
watch(() => props.dispatch, load)
watch(
  () => b.record.value?.row,
  (row) => row && void router.replace({ query: { row: String(row) } }),
)

useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if ((event.target as HTMLElement).closest('input, textarea, select, .el-select, .el-dialog, [role=radio]'))
    return
  if (event.ctrlKey || event.metaKey || event.altKey) return
  if (event.key === 'ArrowLeft') b.step(-1)
  else if (event.key === 'ArrowRight') b.step(1)
  else if (event.key.toLowerCase() === 'f') b.nextFinding()
  else return
  event.preventDefault()
})
</script>

<template>
  <div v-if="bench" class="screen">
    <div class="head">
      <h1 class="unseen">{{ bench.name }}</h1>
      <input
        class="title"
        aria-label="Dispatch name"
        :value="bench.name"
        @change="b.change((d) => (d.name = ($event.target as HTMLInputElement).value || d.name))"
      />
      <span class="code quiet">{{ bench.key }}</span>
      <span :class="state === 'saved' || state === 'saving' ? 'quiet' : 'say wrong'" role="status">{{
        saved
      }}</span>
      <span class="push" />
      <el-button :disabled="!bench.template || !count || !!bench.template_problems" @click="proofs = true"
        >Send proofs to me</el-button
      >
      <el-button
        type="primary"
        :disabled="(!count && !bench.obstacles.length) || state !== 'saved'"
        @click="act"
        >{{ main }}</el-button
      >
      <DispatchMenu
        :dispatch="bench.key"
        :name="bench.name"
        :runs="bench.runs.length"
        @deleted="router.push('/dispatches')"
        @copied="(key) => router.push(`/dispatches/${key}/template`)"
      />
    </div>
    <div v-if="state === 'elsewhere'" class="elsewhere" role="alert">
      This dispatch was changed in another window. Your last change here was not saved.
      <el-button @click="load">Load the other version</el-button>
    </div>
    <div class="columns">
      <Stations :bench="bench" :causes="causes" :wrong="b.wrong.value" :at="at" />
      <section class="station">
        <TemplateStation v-if="at === 'template'" :bench="bench" :change="b.change" />
        <RecordsStation
          v-else-if="at === 'records'"
          :bench="bench"
          :change="b.change"
          :at="b.at.value"
          @pick="b.goTo"
        />
        <MappingStation v-else-if="at === 'mapping'" :bench="bench" :change="b.change" :page="b.page.value" />
        <OutputStation v-else-if="at === 'output'" :bench="bench" :change="b.change" :page="b.page.value" />
        <SigningStation v-else-if="at === 'signing'" :bench="bench" :change="b.change" />
        <ChannelsStation
          v-else-if="at === 'channels'"
          :bench="bench"
          :change="b.change"
          :page="b.page.value"
        />
        <TriggerStation
          v-else-if="at === 'trigger'"
          :bench="bench"
          :change="b.change"
          @started="state === 'saved' && b.load(b.record.value?.row)"
        />
        <PreflightStation
          v-else-if="at === 'preflight'"
          :bench="bench"
          :causes="causes"
          :notes="notes"
          :totals="b.totals.value"
          :checked="b.checked.value"
          :at="b.at.value"
          :change="b.change"
          @pick="b.goTo"
          @fixed="b.load(b.record.value?.row)"
        />
        <RunStation v-else :bench="bench" :ready="ready" @run="running = true" />
      </section>
      <PageView
        :bench="bench"
        :at="b.at.value"
        :record="b.record.value"
        :page="b.page.value"
        :problem="b.pageProblem.value"
        :found="found"
        @step="b.step"
        @finding="b.nextFinding"
        @rewritten="b.load(b.record.value?.row)"
      />
    </div>
    <ProofDialog v-model="proofs" :bench="bench" :at="b.at.value" />
    <RunDialog v-model="running" :bench="bench" :change="b.change" />
  </div>
</template>

<style scoped>
.title {
  font-size: 20px;
  font-weight: 600;
  letter-spacing: -0.01em;
  border: 1px solid transparent;
  background: none;
  padding: 0 4px;
  margin-left: -4px;
  border-radius: var(--radius);
  field-sizing: content;
  min-width: 80px;
  max-width: 420px;
}
.title:hover,
.title:focus {
  border-color: var(--line);
  background: var(--sheet);
}
.elsewhere {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 6px 16px;
  background: var(--attention-tint);
  border-bottom: 1px solid var(--line);
}
.columns {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 208px minmax(0, 1fr) minmax(0, 452px);
}
/* Narrow windows keep the step readable: the page goes below it. */
@media (max-width: 1100px) {
  .columns {
    grid-template-columns: 180px minmax(0, 1fr) minmax(0, 340px);
  }
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: 150px minmax(0, 1fr);
    grid-template-rows: minmax(0, 55%) minmax(0, 45%);
  }
  .columns > :deep(.proof) {
    grid-column: 1 / 3;
    border-left: 0;
    border-top: 1px solid var(--line);
  }
}
.station {
  padding: 14px 16px;
  overflow: auto;
}
</style>
