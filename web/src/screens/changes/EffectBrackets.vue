<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import RatioRule from '@/parts/RatioRule.vue'
import type { Column } from '@/parts/table'

/** Figures before and after a change; after ÷ before as a bracket with its interval on a logarithmic rule. */
type Effect = Schemas['Effect']
defineProps<{ effects: Effect[] }>()
const WIDTH = 92
const COLUMNS = computed<Column<Effect>[]>(() => [
  { key: 'title', title: 'figure', wide: true, value: (one) => one.title },
  { key: 'before', title: 'before', unit: '', width: '78px', value: (one) => one.before },
  { key: 'after', title: 'after', unit: '', width: '78px', value: (one) => one.after },
  { key: 'rule', title: '', width: `${WIDTH + 10}px` },
  { key: 'ratio', title: 'after ÷ before', width: '148px' },
])
const said = (one: Effect) => (one.ratio === null ? 'cannot tell' : `${one.ratio!.toPrecision(2)}× (${one.low!.toPrecision(2)} to ${one.high!.toPrecision(2)})`)
</script>

<template>
  <DataTable :rows="effects" :columns="COLUMNS" :row-key="(one) => one.name">
    <template #before="{ row }"><FigureText :value="row.before" :unit="row.unit" /></template>
    <template #after="{ row }"><FigureText :value="row.after" :unit="row.unit" /></template>
    <template #rule="{ row }">
      <RatioRule :ratio="row.ratio" :low="row.low" :high="row.high" :shown="row.shown === 'shown'" :width="WIDTH" :end="4" />
    </template>
    <template #ratio="{ row }"
      ><span :class="row.shown === 'shown' ? 'strong' : 'faded'" :title="row.rhythm ? 'against the usual course of the day' : 'not against a usual course, which is not known yet'">{{
        said(row)
      }}</span></template
    >
  </DataTable>
</template>
