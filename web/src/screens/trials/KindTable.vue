<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import RatioRule from '@/parts/RatioRule.vue'
import type { Column } from '@/parts/table'
import { scaleEnd, three } from './design'

/** What came out of a kind of trial that is no comparison: a row for each value, step, query or attempt. */
const props = defineProps<{ table: Schemas['KindTable'] }>()
type Row = Schemas['KindRow'] & { place: number }
const rows = computed<Row[]>(() => props.table.rows.map((row, place) => ({ ...row, place })))
const end = computed(() => scaleEnd(rows.value.flatMap((row) => [row.ratio, row.low, row.high])))
const columns = computed<Column<Row>[]>(() => [
  { key: 'name', title: props.table.names, wide: true, value: (row) => row.name },
  { key: 'figure', title: props.table.figure, unit: props.table.unit, width: '150px', bar: true, value: (row) => row.figure, missing: 'not known' },
  { key: 'ratio', title: props.table.ratio, unit: '', width: '180px', value: (row) => row.ratio },
  { key: 'rule', title: '', width: '190px' },
  { key: 'said', title: props.table.said, width: '200px', value: (row) => row.said },
])
</script>

<template>
  <div data-test="kind-table">
    <h2 class="part mt-2">
      <span>{{ table.title }}</span>
    </h2>
    <DataTable :rows="rows" :columns="columns" :row-key="(row) => row.place">
      <template #ratio="{ row }"
        ><template v-if="row.ratio !== null"
          >{{ three(row.ratio) }}×<span v-if="row.low !== null && row.high !== null" class="unit ms-2">{{ three(row.low) }} to {{ three(row.high) }}</span></template
        ><span v-else></span
      ></template>
      <template #rule="{ row }"><RatioRule v-if="row.ratio !== null" :ratio="row.ratio" :low="row.low" :high="row.high" :shown="row.shown" :width="160" :end="end" /></template>
      <template #said="{ row }">{{ row.said }}</template>
    </DataTable>
  </div>
</template>
