<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import ChartFrame from '@/charts/ChartFrame.vue'
import { HATCH, paper, token } from '@/charts/theme'
import { isHatched, tokenOf } from '@/state/families'
import { clock } from '@/state/units'

const props = withDefaults(defineProps<{ ledger: Schemas['Ledger']; title: string; height?: number; order?: string[] }>(), { height: 190, order: () => [] })
const keys = computed(() => Object.keys(props.ledger.stack.series))
const place = (key: string) => Math.max(0, (props.order.length ? props.order : keys.value).indexOf(key))
const name = (key: string) => props.ledger.labels[key] ?? key
const option = computed(() => {
  const stack = props.ledger.stack
  const shared = paper.value
  return {
    ...shared,
    xAxis: { ...shared.time, min: stack.at_us[0] / 1000, max: (stack.at_us.at(-1)! + stack.step_us) / 1000 },
    yAxis: shared.value,
    useUTC: true,
    tooltip: { ...shared.tooltip, valueFormatter: (value: number) => (value === null ? 'none' : value.toFixed(2)) },
    series: [
      ...keys.value.map((key) => ({
        name: name(key).slice(0, 60),
        type: 'bar',
        stack: 'time',
        barCategoryGap: '0%',
        barGap: '0%',
        barWidth: '100.5%',
        itemStyle: { color: token(tokenOf(key, place(key))), ...(isHatched(key, place(key)) && { decal: { ...HATCH, color: 'rgba(255,255,255,0.6)' } }) },
        data: stack.series[key].map((value, i) => [(stack.at_us[i] + stack.step_us / 2) / 1000, value]),
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
              data: stack.reference.map((value, i) => [(stack.at_us[i] + stack.step_us / 2) / 1000, value]),
            },
          ]
        : []),
    ],
  }
})
const columns = computed(() => ['time', ...keys.value.map(name), ...(props.ledger.stack.reference ? ['reference'] : [])])
const rows = computed(() =>
  props.ledger.stack.at_us.map((t, i) => [clock(t, true), ...keys.value.map((key) => props.ledger.stack.series[key][i]), ...(props.ledger.stack.reference ? [props.ledger.stack.reference[i]] : [])]),
)
</script>

<template>
  <ChartFrame :option="option" :title="title" :columns="columns" :rows="rows" :height="height" />
</template>
