<script setup lang="ts">
import { computed } from 'vue'
import { three, type Candidate, type Ratio } from './design'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'

interface Row extends Ratio {
  metric: string
  of: string
}
const props = defineProps<{ candidate: Candidate }>()
const OF: Record<string, string> = { goal: 'goal', all: 'all statements' }
/** Where the goal is of all statements, they are said once. */
const told = computed(() => {
  const { goal, all } = props.candidate.ratios
  return JSON.stringify(goal) === JSON.stringify(all) ? { all: all ?? {} } : props.candidate.ratios
})
const rows = computed<Row[]>(() => Object.entries(told.value).flatMap(([of, metrics]) => Object.entries(metrics).map(([metric, ratio]) => ({ ...ratio, metric, of: OF[of] ?? of }))))
const columns = computed<Column<Row>[]>(() => [
  { key: 'metric', title: 'figure', value: (row) => row.metric },
  { key: 'of', title: 'of', value: (row) => row.of },
  { key: 'ratio', title: 'ratio', unit: '', value: (row) => row.ratio },
  { key: 'interval', title: `${props.candidate.interval ?? '95%'} interval`, unit: '' },
  { key: 'p', title: 'p-value', unit: '', value: (row) => row.p_value },
  { key: 'outcome', title: 'verdict', value: (row) => row.outcome },
])
</script>

<template>
  <h2 class="part">
    <span>{{ candidate.arm }} ÷ control</span>
  </h2>
  <DataTable :rows="rows" :columns="columns" :row-key="(row) => row.of + row.metric">
    <template #ratio="{ row }">{{ three(row.ratio) }}×</template>
    <template #interval="{ row }">{{ three(row.low) }} to {{ three(row.high) }}</template>
    <template #p="{ row }">{{ row.p_value < 0.0001 ? '< 0.0001' : row.p_value.toFixed(4) }}</template>
    <template #outcome="{ row }"
      ><span :class="{ act: row.outcome === 'worse', good: row.outcome === 'better' }">{{ row.outcome }}</span></template
    >
  </DataTable>
</template>

<style scoped>
.good {
  color: var(--fine);
  font-weight: 600;
}
</style>
