<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, ask, type Schemas } from '../../api/client'
import FormLine from '../../parts/FormLine.vue'
import type { ChannelProps } from '../../registries/channels'

/** The settings of the print channel. */
const props = defineProps<ChannelProps<'print'>>()
const info = ref<Schemas['PrinterInfo']>()
const wrong = ref('')

const sides = [
  ['one-sided', 'One side'],
  ['two-sided-long-edge', 'Both sides, long edge'],
  ['two-sided-short-edge', 'Both sides, short edge'],
] as const
const uri = computed(() => props.bench.printers.find((p) => p.name === props.channel.printer)?.uri)

// What the printer has is asked of the printer.
watch(
  uri,
  async (uri) => {
    info.value = undefined
    wrong.value = ''
    if (!uri) return
    try {
      info.value = await ask(api.POST('/api/printers/look', { body: { uri } }))
    } catch (error) {
      wrong.value = error instanceof Error ? error.message : String(error)
    }
  },
  { immediate: true },
)

const known = (all: string[] | undefined, chosen: string) =>
  [...new Set([...(all ?? []), chosen])].filter(Boolean)
/** `iso_a4_210x297mm` is “A4, 210 x 297 mm”. */
function paperName(paper: string) {
  const [, name, width, height, unit] = /^[a-z]+_(.+)_([\d.]+)x([\d.]+)(mm|in)$/.exec(paper) ?? []
  return name ? `${name.charAt(0).toUpperCase()}${name.slice(1)}, ${width} × ${height} ${unit}` : paper
}
</script>

<template>
  <FormLine
    label="Printer"
    :about="
      info
        ? `${info.model}, ${info.state}`
        : bench.printers.length
          ? ''
          : 'The office has no printers. Add one in Settings.'
    "
    :wrong="wrong || undefined"
  >
    <el-select
      :model-value="channel.printer || undefined"
      placeholder="Choose a printer"
      aria-label="Printer"
      @change="(name: string) => change((c) => (c.printer = name))"
    >
      <el-option v-for="one in bench.printers" :key="one.name" :value="one.name" :label="one.name" />
    </el-select>
  </FormLine>
  <FormLine label="Copies">
    <el-input-number
      :model-value="channel.copies"
      :min="1"
      :max="99"
      aria-label="Copies"
      @change="(copies: number | undefined) => change((c) => (c.copies = copies ?? 1))"
    />
  </FormLine>
  <FormLine label="Sides">
    <el-select
      :model-value="channel.sides"
      aria-label="Sides"
      @change="(value: typeof channel.sides) => change((c) => (c.sides = value))"
    >
      <el-option
        v-for="[value, label] in sides"
        :key="value"
        :value="value"
        :label="label"
        :disabled="info && !info.two_sided && value !== 'one-sided'"
      />
    </el-select>
  </FormLine>
  <FormLine label="Paper">
    <el-select
      :model-value="channel.paper || undefined"
      placeholder="As the printer has it"
      clearable
      aria-label="Paper"
      @change="(paper: string | undefined) => change((c) => (c.paper = paper ?? ''))"
    >
      <el-option
        v-for="paper in known(info?.papers, channel.paper)"
        :key="paper"
        :value="paper"
        :label="paperName(paper)"
      />
    </el-select>
  </FormLine>
  <FormLine label="Tray">
    <el-select
      :model-value="channel.tray || undefined"
      placeholder="As the printer has it"
      clearable
      aria-label="Tray"
      @change="(tray: string | undefined) => change((c) => (c.tray = tray ?? ''))"
    >
      <el-option v-for="tray in known(info?.trays, channel.tray)" :key="tray" :value="tray" :label="tray" />
    </el-select>
  </FormLine>
  <FormLine label="Sort by" about="A field or expression, e.g. berth. Blank for the order of the records.">
    <el-input
      class="code"
      name="order"
      :model-value="channel.order"
      @update:model-value="(text: string) => change((c) => (c.order = text), true)"
    />
  </FormLine>
  <FormLine group class="wide" label="Jobs" about="Printing begins once all documents of the run are made.">
    <el-radio-group
      :model-value="channel.together"
      aria-label="Jobs"
      @change="(together) => change((c) => (c.together = together === true))"
    >
      <el-radio :value="false">One job for each record</el-radio>
      <el-radio :value="true">One job for the whole run</el-radio>
    </el-radio-group>
  </FormLine>
</template>
