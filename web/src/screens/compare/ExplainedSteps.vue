<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import CellBar from '@/parts/CellBar.vue'
import DataTable from '@/parts/DataTable.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'

/** The difference in time split into steps that add up: more calls, another mix, longer calls; and the statements that add most. */
type Part = Schemas['Part']
const props = defineProps<{ explained: Schemas['Explained']; scope: string }>()
const WIDTH = 1100
const HEIGHT = 26
const signed = (value: number) => `${value > 0 ? '+' : value < 0 ? '−' : ''}${Math.abs(value).toPrecision(3)}`
const steps = computed(() => {
  const e = props.explained
  const changes = [
    { name: 'more calls', less: 'fewer calls', value: e.calls },
    { name: 'another mix', less: 'another mix', value: e.mix },
    { name: 'longer calls', less: 'shorter calls', value: e.per_call },
  ]
  let at = e.left
  const drawn = changes.map((one) => {
    const from = at
    at += one.value
    return { name: one.value < 0 ? one.less : one.name, value: one.value, from: Math.min(from, at), to: Math.max(from, at) }
  })
  return drawn
})
const top = computed(() => Math.max(props.explained.left, props.explained.right, ...steps.value.map((one) => one.to), 1e-9))
const x = (value: number) => 150 + (Math.max(0, value) / top.value) * (WIDTH - 260)
const most = computed(() => Math.max(...props.explained.parts.map((one) => Math.abs(one.whole)), 1e-9))
const columns = computed<Column<Part>[]>(() => [
  { key: 'text', title: 'statement', wide: true, value: (one) => one.text },
  { key: 'left', title: 'left', unit: '', width: '76px', value: (one) => one.left },
  { key: 'right', title: 'right', unit: '', width: '76px', value: (one) => one.right },
  { key: 'calls', title: 'calls', unit: '', width: '76px', value: (one) => one.calls },
  { key: 'mix', title: 'mix', unit: '', width: '76px', value: (one) => one.mix },
  { key: 'per', title: 'per call', unit: '', width: '76px', value: (one) => one.per_call },
  { key: 'whole', title: 'adds', unit: '', width: '96px', value: (one) => Math.abs(one.whole) },
])
</script>

<template>
  <h2 class="part mt-2"><span>Active sessions by the statement counters, from left to right in steps that add up</span></h2>
  <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT * 5}`" role="img" :aria-label="`From ${explained.left.toPrecision(3)} to ${explained.right.toPrecision(3)} active sessions`" class="steps">
    <g>
      <text class="name" x="142" y="17" text-anchor="end">left</text>
      <rect class="end" :x="x(0)" y="4" :width="x(explained.left) - x(0)" height="18" />
      <text class="value" :x="x(explained.left) + 6" y="17">{{ explained.left.toPrecision(3) }}</text>
    </g>
    <g v-for="(step, i) in steps" :key="step.name" :transform="`translate(0 ${(i + 1) * HEIGHT})`">
      <text class="name" x="142" y="17" text-anchor="end">{{ step.name }}</text>
      <rect :class="step.value >= 0 ? 'more' : 'less'" :x="x(step.from)" y="4" :width="Math.max(1, x(step.to) - x(step.from))" height="18" />
      <text class="value" :x="x(step.to) + 6" y="17">{{ signed(step.value) }}</text>
    </g>
    <g :transform="`translate(0 ${4 * HEIGHT})`">
      <text class="name" x="142" y="17" text-anchor="end">right</text>
      <rect class="end" :x="x(0)" y="4" :width="x(explained.right) - x(0)" height="18" />
      <text class="value" :x="x(explained.right) + 6" y="17">{{ explained.right.toPrecision(3) }}</text>
    </g>
  </svg>
  <DataTable :rows="explained.parts" :columns="columns" :row-key="(one) => one.fingerprint">
    <template #text="{ row }"
      ><SubjectLink kind="statement" :name="row.fingerprint" :server="scope" class="sql" :title="row.text">{{ row.text }}</SubjectLink></template
    >
    <template #left="{ row }">{{ row.left.toFixed(3) }}</template>
    <template #right="{ row }">{{ row.right.toFixed(3) }}</template>
    <template #calls="{ row }">{{ signed(row.calls) }}</template>
    <template #mix="{ row }">{{ signed(row.mix) }}</template>
    <template #per="{ row }">{{ signed(row.per_call) }}</template>
    <template #whole="{ row }"
      ><CellBar :value="Math.abs(row.whole)" :max="most">{{ signed(row.whole) }}</CellBar></template
    >
  </DataTable>
  <p v-if="explained.rest" class="faded mb-0">All other statements together: {{ signed(explained.rest) }}.</p>
</template>

<style scoped>
.steps {
  width: 100%;
  max-height: 130px;
  display: block;
}
.name {
  font-size: 12.5px;
  fill: var(--faded);
}
.value {
  font-family: 'Figure Points', var(--bs-font-monospace);
  font-size: 11.5px;
  fill: var(--ink);
}
.end {
  fill: var(--f-processor);
}
.more {
  fill: var(--act);
}
.less {
  fill: var(--fine);
}
</style>
