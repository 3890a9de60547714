<script setup lang="ts">
import { computed } from 'vue'

import FormLine from '../../parts/FormLine.vue'
import NamedTexts from '../../parts/NamedTexts.vue'
import type { ChannelProps } from '../../registries/channels'

/** The settings of the sheet channel. */
const props = defineProps<ChannelProps<'sheet'>>()

const columns = [
  ['state', 'Column for the state', 'Delivered, Failed, Uncertain, Withdrawn … Blank for none.'],
  ['time', 'Column for the date and time', 'Blank for none.'],
] as const
const texts = computed(() => props.channel.values.map(({ column, value }) => ({ name: column, value })))

const set = (at: number, field: 'name' | 'value', text: string) =>
  props.change((c) => {
    const one = c.values[at]
    if (one) one[field === 'name' ? 'column' : 'value'] = text
  }, true)
</script>

<template>
  <p class="wide quiet">
    Written into the record’s own row once its other deliveries have ended. Columns that the sheet doesn’t
    have are added.
  </p>
  <FormLine v-for="[field, label, about] in columns" :key="field" :label="label" :about="about">
    <el-input
      :name="field"
      :model-value="channel[field]"
      @update:model-value="(text: string) => change((c) => (c[field] = text), true)"
    />
  </FormLine>
  <FormLine
    group
    class="wide"
    label="Other columns"
    about="With placeholders, e.g. the share link: [: document.link]"
  >
    <NamedTexts
      :texts="texts"
      one="column"
      hint="Column"
      @add="change((c) => c.values.push({ column: '', value: '' }))"
      @remove="(at) => change((c) => c.values.splice(at, 1))"
      @set="set"
    />
  </FormLine>
</template>
