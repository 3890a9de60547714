<script setup lang="ts">
import { computed, onMounted, ref, toRef, watch } from 'vue'
import { useEventListener } from '@vueuse/core'
import { useRoute, useRouter } from 'vue-router'

import { documentsInWords, useBench } from '../api/bench'
import { clock } from '../api/words'
import PageView from '../parts/PageView.vue'
import ProofDialog from '../parts/ProofDialog.vue'
import RunDialog from '../parts/RunDialog.vue'
import Stations from '../parts/Stations.vue'
import { enter } from '../router'
import ChannelsStation from './stations/Channels.vue'
import PreflightStation from './stations/Preflight.vue'
import RecordsStation from './stations/Records.vue'
import ResultStation from './stations/Result.vue'
import RunStation from './stations/Run.vue'
import TemplateStation from './stations/Template.vue'
import TiesStation from './stations/Ties.vue'

const props = defineProps<{ dispatch: string; station?: string }>()
const route = useRoute()
const router = useRouter()
const b = useBench(toRef(props, 'dispatch'))
const { bench, findings, notes } = b
const proofs = ref(false)
const running = ref(false)

const at = computed(() => props.station || 'ties')
const count = computed(() => bench.value?.records.length ?? 0)
const found = computed(() => b.rowsWithFindings.value.size)
const ready = computed(
  () =>
    !!bench.value &&
    count.value > 0 &&
    !bench.value.obstacles.length &&
    !!findings.value &&
    !findings.value.length,
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
      <input
        class="title"
        aria-label="Name of the dispatch"
        :value="bench.name"
        @change="b.change((d) => (d.name = ($event.target as HTMLInputElement).value || d.name))"
      />
      <span class="code quiet">{{ bench.key }}</span>
      <span class="quiet">{{ b.saving.value ? 'Saving…' : `Saved ${clock(bench.changed)}` }}</span>
      <span class="push" />
      <el-button :disabled="!bench.template || !count || !!bench.template_problems" @click="proofs = true"
        >Proofs to myself</el-button
      >
      <el-button
        type="primary"
        :disabled="!count"
        @click="ready ? (running = true) : router.push(`/dispatches/${dispatch}/preflight`)"
        >Run {{ documentsInWords(bench) }}</el-button
      >
    </div>
    <div class="columns">
      <Stations :bench="bench" :findings="findings" :at="at" />
      <section class="station">
        <TemplateStation v-if="at === 'template'" :bench="bench" :change="b.change" />
        <RecordsStation
          v-else-if="at === 'records'"
          :bench="bench"
          :change="b.change"
          :at="b.at.value"
          @pick="b.goTo"
        />
        <TiesStation v-else-if="at === 'ties'" :bench="bench" :change="b.change" :page="b.page.value" />
        <ResultStation v-else-if="at === 'result'" :bench="bench" :change="b.change" :page="b.page.value" />
        <ChannelsStation
          v-else-if="at === 'channels'"
          :bench="bench"
          :change="b.change"
          :page="b.page.value"
        />
        <PreflightStation
          v-else-if="at === 'preflight'"
          :bench="bench"
          :findings="findings"
          :notes="notes"
          :change="b.change"
          @pick="b.goTo"
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
    <RunDialog v-model="running" :bench="bench" />
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
.columns {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 208px minmax(0, 1fr) 452px;
}
.station {
  padding: 14px 16px;
  overflow: auto;
}
</style>
