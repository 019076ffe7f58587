<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import ChartFrame from '@/charts/ChartFrame.vue'
import { paper, token } from '@/charts/theme'
import { bytes, clock, day, text } from '@/state/units'

/** What a table took over the last week, with its indexes, hour by hour; the scale begins near the least. */
const props = defineProps<{ sizes: Schemas['SizeAt'][] }>()
const option = computed(() => {
  const shared = paper.value
  return {
    ...shared,
    useUTC: true,
    grid: { left: 78, right: 10, top: 10, height: 74 },
    xAxis: { ...shared.time },
    yAxis: { ...shared.value, scale: true, splitNumber: 2, axisLabel: { ...shared.value.axisLabel, formatter: (v: number) => text(bytes(v)) } },
    series: [
      {
        name: 'size',
        type: 'line',
        symbol: 'none',
        lineStyle: { color: token('--ink'), width: 1.3 },
        itemStyle: { color: token('--ink') },
        tooltip: { valueFormatter: (v: number) => text(bytes(v)) },
        data: props.sizes.map((one) => [one.at_us / 1000, one.bytes]),
      },
    ],
  }
})
const rows = computed(() => props.sizes.map((one) => [`${day(one.at_us)} ${clock(one.at_us)}`, one.bytes]))
</script>

<template>
  <ChartFrame title="Size over the last week" :option="option" :height="110" :columns="['time', 'bytes']" :rows="rows" />
</template>
