<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import type { Column } from '@/parts/table'

/** Two columns with a spine between them: each figure's ratio is a needle with its interval on a logarithmic rule. */
type Figure = Schemas['Figure']
const props = defineProps<{ figures: Figure[]; left: string; right: string; all: boolean }>()
const WIDTH = 190
const END = 8
const place = (ratio: number) => 4 + ((Math.log(Math.max(1 / END, Math.min(END, ratio))) / Math.log(END) + 1) / 2) * (WIDTH - 8)
const MARKS = [1 / 8, 1 / 4, 1 / 2, 1, 2, 4, 8]
const rows = computed(() => (props.all ? props.figures : props.figures.filter((one) => one.shown === 'shown')))
const columns = computed<Column<Figure>[]>(() => [
  { key: 'title', title: 'figure', wide: true, value: (one) => one.title },
  { key: 'left', title: props.left, unit: '', width: '96px', value: (one) => one.left },
  { key: 'rule', title: '', width: `${WIDTH + 10}px` },
  { key: 'right', title: props.right, unit: '', width: '96px', value: (one) => one.right },
  { key: 'times', title: 'right ÷ left', unit: '', width: '150px', value: (one) => one.ratio },
])
</script>

<template>
  <DataTable :rows="rows" :columns="columns" :row-key="(one) => one.group + one.name">
    <template #left="{ row }"><FigureText :value="row.left" :unit="row.unit" /></template>
    <template #right="{ row }"><FigureText :value="row.right" :unit="row.unit" /></template>
    <template #rule="{ row }">
      <svg :width="WIDTH" height="17" aria-hidden="true">
        <line class="rule" x1="4" :x2="WIDTH - 4" y1="13" y2="13" />
        <line v-for="mark in MARKS" :key="mark" class="rule" :class="{ one: mark === 1 }" :x1="place(mark)" :x2="place(mark)" :y1="mark === 1 ? 1 : 10" y2="13" />
        <line v-if="row.low !== null" class="interval" :x1="place(row.low!)" :x2="place(row.high!)" y1="7" y2="7" />
        <line v-if="row.ratio !== null" class="needle" :class="{ shown: row.shown === 'shown' }" :x1="place(row.ratio!)" :x2="place(row.ratio!)" y1="2" y2="13" />
      </svg>
    </template>
    <template #times="{ row }"
      ><span :class="row.shown === 'shown' ? '' : 'faded'">{{
        row.ratio === null ? 'cannot tell' : `${Number(row.ratio!.toPrecision(2))}× (${row.low!.toPrecision(2)} to ${row.high!.toPrecision(2)})`
      }}</span></template
    >
  </DataTable>
  <p v-if="!rows.length" class="faded">No figure shows a difference.</p>
</template>

<style scoped>
.rule {
  stroke: var(--rule-strong);
}
.one {
  stroke: var(--steel);
  stroke-dasharray: 2 2;
}
.interval {
  stroke: var(--faded);
  stroke-width: 3;
  opacity: 0.55;
}
.needle {
  stroke: var(--faded);
  stroke-width: 2;
}
.needle.shown {
  stroke: var(--ink);
}
</style>
