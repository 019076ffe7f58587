<script setup lang="ts">
import { computed } from 'vue'
import ChartFrame from './ChartFrame.vue'
import { HATCH, paper, token } from './theme'
import { clock } from '@/state/units'

/** What adds up over time as a stack of bars by step, with a reference as a dashed line. */
export interface Stack {
  at_us: number[]
  step_us: number
  series: Record<string, (number | null)[]>
  reference?: (number | null)[] | null
}
const props = withDefaults(defineProps<{ stack: Stack; title: string; height?: number; nameOf: (key: string) => string; tokenOf: (key: string) => string; hatched: (key: string) => boolean }>(), {
  height: 190,
})
const keys = computed(() => Object.keys(props.stack.series))
const middle = (t: number) => (t + props.stack.step_us / 2) / 1000
const option = computed(() => {
  const stack = props.stack
  const shared = paper.value
  return {
    ...shared,
    xAxis: { ...shared.time, min: stack.at_us[0] / 1000, max: (stack.at_us.at(-1)! + stack.step_us) / 1000 },
    yAxis: shared.value,
    useUTC: true,
    tooltip: { ...shared.tooltip, valueFormatter: (value: number) => (value === null ? 'none' : value.toFixed(2)) },
    series: [
      ...keys.value.map((key) => ({
        name: props.nameOf(key).slice(0, 60),
        type: 'bar',
        stack: 'time',
        barCategoryGap: '0%',
        barGap: '0%',
        barWidth: '100.5%',
        itemStyle: { color: token(props.tokenOf(key)), ...(props.hatched(key) && { decal: { ...HATCH, color: 'rgba(255,255,255,0.6)' } }) },
        data: stack.series[key].map((value, i) => [middle(stack.at_us[i]), value]),
      })),
      ...(stack.reference
        ? [
            {
              name: 'reference',
              type: 'line',
              step: 'middle',
              symbol: 'none',
              z: 5,
              lineStyle: { color: token('--steel'), width: 1.5, type: [4, 2] },
              data: stack.reference.map((value, i) => [middle(stack.at_us[i]), value]),
            },
          ]
        : []),
    ],
  }
})
const columns = computed(() => ['time', ...keys.value.map(props.nameOf), ...(props.stack.reference ? ['reference'] : [])])
const rows = computed(() => props.stack.at_us.map((t, i) => [clock(t, true), ...keys.value.map((key) => props.stack.series[key][i]), ...(props.stack.reference ? [props.stack.reference[i]] : [])]))
</script>

<template>
  <ChartFrame :option="option" :title="title" :columns="columns" :rows="rows" :height="height" />
</template>
