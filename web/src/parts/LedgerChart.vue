<script setup lang="ts">
import { BarChart } from 'echarts/charts'
import { AriaComponent, GridComponent, LegendComponent, TooltipComponent } from 'echarts/components'
import { init, use, type ECharts } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'
import { useResizeObserver } from '@vueuse/core'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'

import type { Schemas } from '../api/client'

/** Documents, deliveries and failures over time, as bars; the tables below say the same. */
const props = defineProps<{ periods: Schemas['LedgerPeriod'][]; name: (begins: string) => string }>()
use([BarChart, GridComponent, LegendComponent, TooltipComponent, AriaComponent, SVGRenderer])

const box = ref<HTMLDivElement>()
let chart: ECharts | undefined
/** A colour of the look, whichever theme it is. */
const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim()

function draw() {
  const [ink, line] = [colour('--ink-2'), colour('--line')]
  const text = { color: ink, fontFamily: 'Instrument Sans Variable', fontSize: 11 }
  const bars = [
    ['Documents', 'documents', colour('--accent')],
    ['Delivered', 'delivered', colour('--right')],
    ['Failed', 'failed', colour('--wrong')],
  ] as const
  chart?.setOption(
    {
      animation: false,
      aria: { enabled: true },
      textStyle: text,
      grid: { left: 44, right: 8, top: 30, bottom: 24 },
      legend: { top: 0, left: 0, itemWidth: 10, itemHeight: 10, textStyle: text },
      tooltip: { trigger: 'axis', textStyle: { fontSize: 12 } },
      xAxis: {
        type: 'category',
        data: props.periods.map((one) => props.name(one.begins)),
        axisLine: { lineStyle: { color: line } },
        axisTick: { show: false },
        axisLabel: text,
      },
      yAxis: { type: 'value', minInterval: 1, splitLine: { lineStyle: { color: line } }, axisLabel: text },
      series: bars.map(([name, key, color]) => ({
        name,
        type: 'bar',
        barMaxWidth: 14,
        itemStyle: { color },
        data: props.periods.map((one) => one[key]),
      })),
    },
    true,
  )
}
onMounted(() => {
  if (!box.value) return
  chart = init(box.value, undefined, { renderer: 'svg' })
  draw()
})
watch(() => props.periods, draw)
useResizeObserver(box, () => chart?.resize())
onBeforeUnmount(() => chart?.dispose())
</script>

<template>
  <div ref="box" class="chart" role="img" aria-label="Documents, deliveries and failures over time"></div>
</template>

<style scoped>
.chart {
  height: 210px;
  margin-bottom: 14px;
}
</style>
