<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import type { Column } from '@/parts/table'

/** Figures before and after a change; after ÷ before as a bracket with its interval on a logarithmic rule. */
type Effect = Schemas['Effect']
defineProps<{ effects: Effect[] }>()
const WIDTH = 92
const ENDS = [0.25, 4]
const place = (ratio: number) => (Math.log(Math.max(ENDS[0]!, Math.min(ENDS[1]!, ratio)) / ENDS[0]!) / Math.log(ENDS[1]! / ENDS[0]!)) * (WIDTH - 8) + 4
const MARKS = [0.25, 0.5, 1, 2, 4]
const COLUMNS = computed<Column<Effect>[]>(() => [
  { key: 'title', title: 'figure', wide: true, value: (one) => one.title },
  { key: 'before', title: 'before', unit: '', width: '78px', value: (one) => one.before },
  { key: 'after', title: 'after', unit: '', width: '78px', value: (one) => one.after },
  { key: 'rule', title: '', width: `${WIDTH + 10}px` },
  { key: 'ratio', title: 'after ÷ before', width: '148px' },
])
const said = (one: Effect) => (one.ratio === null ? 'too few minutes' : `${one.ratio!.toPrecision(2)}× (${one.low!.toPrecision(2)} to ${one.high!.toPrecision(2)})`)
</script>

<template>
  <DataTable :rows="effects" :columns="COLUMNS" :row-key="(one) => one.name">
    <template #before="{ row }"><FigureText :value="row.before" :unit="row.unit" /></template>
    <template #after="{ row }"><FigureText :value="row.after" :unit="row.unit" /></template>
    <template #rule="{ row }">
      <svg :width="WIDTH" height="17" aria-hidden="true">
        <line class="rule" x1="4" :x2="WIDTH - 4" y1="13" y2="13" />
        <line v-for="mark in MARKS" :key="mark" class="mark" :class="{ one: mark === 1 }" :x1="place(mark)" :x2="place(mark)" :y1="mark === 1 ? 2 : 9" y2="13" />
        <path v-if="row.low !== null" class="bracket" :class="{ shown: row.shown === 'shown' }" :d="`M${place(row.low!)},9v-5H${place(row.high!)}v5`" />
        <line v-if="row.ratio !== null" class="needle" :class="{ shown: row.shown === 'shown' }" :x1="place(row.ratio!)" :x2="place(row.ratio!)" y1="2" y2="13" />
      </svg>
    </template>
    <template #ratio="{ row }"
      ><span :class="row.shown === 'shown' ? 'strong' : 'faded'" :title="row.rhythm ? 'against the usual course of the day' : 'not against a usual course, which is not known yet'">{{
        said(row)
      }}</span></template
    >
  </DataTable>
</template>

<style scoped>
.rule,
.mark {
  stroke: var(--rule-strong);
}
.one {
  stroke: var(--steel);
  stroke-dasharray: 2 2;
}
.bracket {
  fill: none;
  stroke: var(--faded);
}
.needle {
  stroke: var(--faded);
  stroke-width: 2;
}
.shown {
  stroke: var(--ink);
}
.strong {
  font-weight: 600;
}
</style>
