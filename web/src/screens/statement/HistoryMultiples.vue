<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import ChartFrame from '@/charts/ChartFrame.vue'
import { paper, token } from '@/charts/theme'
import { clock, count, duration, text } from '@/state/units'

/** History as small multiples on one time axis; the lowest band shows which plan was in use. */
const props = defineProps<{ history: Schemas['History']; plans: Schemas['PlanUse'][] }>()
const PLAN_TOKENS = ['--f-processor', '--f-data-read', '--f-client', '--f-log-write', '--f-memory']
const keys = computed(() => [...new Set([...props.plans].sort((a, b) => a.first_us - b.first_us).map((plan) => plan.plan_key))])
const middle = (t: number) => (t + props.history.step_us / 2) / 1000

const option = computed(() => {
  const shared = paper.value
  const h = props.history
  const range = { min: h.at_us[0] / 1000, max: (h.at_us.at(-1)! + h.step_us) / 1000 }
  const bands: [string, (number | null)[], (v: number) => string][] = [
    ['calls/s', h.calls_per_s, (v) => text(count(v))],
    ['time per call', h.time_per_call_s, (v) => text(duration(v))],
    ['examined per row', h.examined_per_row, (v) => text(count(v))],
  ]
  const grids = [...bands.map((_, i) => ({ left: 78, right: 8, top: 24 + i * 76, height: 46 })), { left: 78, right: 8, top: 20 + 3 * 76, height: 14 }]
  return {
    ...shared,
    useUTC: true,
    grid: grids,
    axisPointer: { link: [{ xAxisIndex: 'all' }] },
    xAxis: grids.map((_, i) => ({ ...shared.time, ...range, gridIndex: i, axisLabel: i === 3 ? shared.time.axisLabel : { show: false }, axisTick: { show: i === 3 } })),
    yAxis: [
      ...bands.map(([name, , say], i) => ({
        ...shared.value,
        gridIndex: i,
        name,
        nameLocation: 'end',
        nameGap: 10,
        nameTextStyle: { color: token('--faded'), align: 'left', padding: [0, 0, 0, -70], fontSize: 11.5 },
        splitNumber: 2,
        axisLabel: { ...shared.value.axisLabel, formatter: say },
      })),
      { type: 'value', gridIndex: 3, show: false, min: 0, max: 1 },
    ],
    series: [
      ...bands.map(([name, values], i) => ({
        name,
        type: 'line',
        step: 'middle',
        symbol: 'none',
        xAxisIndex: i,
        yAxisIndex: i,
        lineStyle: { color: token('--ink'), width: 1.3 },
        itemStyle: { color: token('--ink') },
        tooltip: { valueFormatter: (v: number) => (v === null ? 'not called' : bands[i][2](v)) },
        data: values.map((v, j) => [middle(h.at_us[j]), v]),
      })),
      ...keys.value.map((key, k) => ({
        name: `plan ${key.slice(0, 8)}`,
        type: 'bar',
        stack: 'plan',
        xAxisIndex: 3,
        yAxisIndex: 3,
        barWidth: '101%',
        itemStyle: { color: token(PLAN_TOKENS[k % PLAN_TOKENS.length]) },
        tooltip: { valueFormatter: (v: number) => (v ? 'in use' : '') },
        data: h.plan_key.map((used, j) => [middle(h.at_us[j]), used === key ? 1 : 0]),
      })),
    ],
  }
})
const rows = computed(() => props.history.at_us.map((t, i) => [clock(t), props.history.calls_per_s[i], props.history.time_per_call_s[i], props.history.examined_per_row[i], props.history.plan_key[i]]))
</script>

<template>
  <div>
    <ChartFrame :option="option" title="History over the focus" :columns="['time', 'calls per s', 'time per call, s', 'rows examined per row', 'plan']" :rows="rows" :height="294" />
    <p class="faded plans mb-0">
      Plan:
      <span v-for="(key, k) in keys" :key="key"
        ><i :style="{ background: `var(${PLAN_TOKENS[k % PLAN_TOKENS.length]})` }"></i> <code>{{ key.slice(0, 8) }}</code>
      </span>
    </p>
  </div>
</template>

<style scoped>
.plans {
  font-size: 12px;
}
i {
  display: inline-block;
  width: 11px;
  height: 11px;
  margin-left: 6px;
}
</style>
