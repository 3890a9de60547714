<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../../api/client'
import { moment } from '../../api/words'
import FormLine from '../../parts/FormLine.vue'
import type { TriggerProps } from '../../registries/triggers'

/** The settings of the trigger of times. */
const props = defineProps<TriggerProps<'schedule'>>()
type Every = Schemas['Every']
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']
const UNITS: [Every['unit'], string, () => Every][] = [
  ['day', 'Every day', () => ({ unit: 'day' })],
  ['week', 'Every week', () => ({ unit: 'week', days: ['monday'] })],
  ['month', 'Every month', () => ({ unit: 'month', day: 1 })],
  ['cron', 'Cron expression', () => ({ unit: 'cron', expression: '0 8 1 */3 *' })],
]
const setUnit = (unit: string) => {
  const found = UNITS.find(([own]) => own === unit)
  if (found) props.change((t) => (t.every = found[2]()))
}
/** The same object, narrowed by its unit, for changes. */
const set = (every: Every, soon = false) => props.change((t) => (t.every = every), soon)
const next = computed(() => props.info?.next.map((at) => moment(at)) ?? [])
</script>

<template>
  <FormLine label="When">
    <el-select :model-value="trigger.every.unit" aria-label="When" @change="setUnit">
      <el-option v-for="[unit, label] in UNITS" :key="unit" :value="unit" :label="label" />
    </el-select>
  </FormLine>
  <FormLine v-if="trigger.every.unit === 'month'" label="Day">
    <el-select
      :model-value="trigger.every.day ?? 0"
      aria-label="Day"
      @change="(day: number) => set({ unit: 'month', day: day || null })"
    >
      <el-option v-for="day in 28" :key="day" :value="day" :label="String(day)" />
      <el-option :value="0" label="Last day" />
    </el-select>
  </FormLine>
  <FormLine v-if="trigger.every.unit !== 'cron'" label="Time">
    <el-input
      name="time"
      :model-value="trigger.time"
      @update:model-value="(text: string) => change((t) => (t.time = text), true)"
    />
  </FormLine>
  <FormLine v-if="trigger.every.unit === 'week'" group class="wide" label="Days">
    <el-checkbox-group
      :model-value="trigger.every.days"
      aria-label="Days"
      @change="(days) => set({ unit: 'week', days: days as Schemas['Weekday'][] })"
    >
      <el-checkbox v-for="day in DAYS" :key="day" :value="day.toLowerCase()" :label="day" />
    </el-checkbox-group>
  </FormLine>
  <FormLine
    v-if="trigger.every.unit === 'cron'"
    class="wide"
    label="Cron expression"
    about="Minute, hour, day of the month, month, day of the week"
  >
    <el-input
      class="code"
      name="cron"
      :model-value="trigger.every.expression"
      @update:model-value="(expression: string) => set({ unit: 'cron', expression }, true)"
    />
  </FormLine>
  <FormLine group class="wide" label="If Mangle did not run at that time">
    <el-radio-group
      :model-value="trigger.missed"
      aria-label="If Mangle did not run at that time"
      @change="(missed) => change((t) => (t.missed = missed as typeof trigger.missed))"
    >
      <el-radio value="catch-up">Run as soon as it does</el-radio><el-radio value="skip">Skip</el-radio>
    </el-radio-group>
  </FormLine>
  <div v-if="next.length" class="wide">
    <p class="quiet">Next times</p>
    <ul class="times">
      <li v-for="at in next" :key="at">{{ at }}</li>
    </ul>
  </div>
</template>

<style scoped>
.times {
  margin: 0;
  padding: 0;
  list-style: none;
}
p {
  margin: 0 0 2px;
}
</style>
