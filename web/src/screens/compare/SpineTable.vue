<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import RatioRule from '@/parts/RatioRule.vue'
import type { Column } from '@/parts/table'

/** Two columns with a spine between them: each figure's ratio is a needle with its interval on a logarithmic rule. */
type Figure = Schemas['Figure']
const props = defineProps<{ figures: Figure[]; left: string; right: string; all: boolean }>()
const WIDTH = 190
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
      <RatioRule :ratio="row.ratio" :low="row.low" :high="row.high" :shown="row.shown === 'shown'" :width="WIDTH" :end="8" />
    </template>
    <template #times="{ row }"
      ><span :class="row.shown === 'shown' ? '' : 'faded'">{{
        row.ratio === null ? 'cannot tell' : `${Number(row.ratio!.toPrecision(2))}× (${row.low!.toPrecision(2)} to ${row.high!.toPrecision(2)})`
      }}</span></template
    >
  </DataTable>
  <p v-if="!rows.length" class="faded">No figure shows a difference.</p>
</template>
