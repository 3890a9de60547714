<script setup lang="ts">
import { computed } from 'vue'

import FormLine from '../../parts/FormLine.vue'
import type { ChannelProps } from '../../registries/channels'

/** The settings of the share link channel. */
const props = defineProps<ChannelProps<'link'>>()

const limits = [
  ['days', 'Days', 'How long the link works, from its delivery. Blank for no end.'],
  ['openings', 'Times it can be opened', 'Blank for no limit.'],
] as const
const number = (text: string) => Number.parseInt(text, 10) || null

const MADE = '[: document.passcode]'
const kind = computed(() => {
  if (!props.channel.passcode.trim()) return 'none'
  return props.channel.passcode.trim() === MADE ? 'made' : 'field'
})
const first = computed(() => props.bench.columns.find((c) => c.type !== 'list')?.name)

function choose(kind: string) {
  const field = first.value ? `[: ${first.value}]` : '[: ]'
  props.change((c) => (c.passcode = kind === 'none' ? '' : kind === 'made' ? MADE : field))
}
</script>

<template>
  <FormLine label="Passcode">
    <el-select :model-value="kind" aria-label="Passcode" @change="choose">
      <el-option value="none" label="None" />
      <el-option value="made" label="Six digits, made for each record" />
      <el-option value="field" label="From a field" />
    </el-select>
  </FormLine>
  <FormLine v-if="kind === 'field'" label="Passcode field" about="A placeholder, e.g. a customer number">
    <el-input
      class="code"
      name="passcode"
      :model-value="channel.passcode"
      @update:model-value="(text: string) => change((c) => (c.passcode = text), true)"
    />
  </FormLine>
  <FormLine v-for="[field, label, about] in limits" :key="field" :label="label" :about="about">
    <el-input
      :model-value="channel[field]?.toString() ?? ''"
      inputmode="numeric"
      :name="field"
      @update:model-value="(text: string) => change((c) => (c[field] = number(text)), true)"
    />
  </FormLine>
  <FormLine label="Recipients can" about="Pages that are shown can still be copied from the screen.">
    <el-select
      :model-value="channel.download"
      aria-label="Recipients can"
      @change="(download: boolean) => change((c) => (c.download = download))"
    >
      <el-option :value="true" label="View and download" />
      <el-option :value="false" label="View only" />
    </el-select>
  </FormLine>
  <p class="wide quiet">
    Use <code>[: document.link]</code> and <code>[: document.passcode]</code> in a message to send them. Send
    the passcode over another channel than the link.
  </p>
</template>
