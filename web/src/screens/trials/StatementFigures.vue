<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import RatioRule from '@/parts/RatioRule.vue'
import type { Column } from '@/parts/table'
import { scaleEnd, three } from './design'

/** Every statement of the workload in every arm: how often it ended and failed, how long it took, and its ratio to the first arm's. */
type Row = Schemas['StatementInArm']
const props = defineProps<{ rows: Row[] }>()
const end = computed(() => scaleEnd(props.rows.flatMap((row) => [row.ratio, row.low, row.high])))
const figure = (key: string, title: string, value: (row: Row) => number | null): Column<Row> => ({ key, title, unit: 's', value, missing: 'none', width: '80px' })
const COLUMNS: Column<Row>[] = [
  { key: 'name', title: 'statement', wide: true, value: (row) => row.name },
  { key: 'arm', title: 'arm', width: '104px', value: (row) => row.arm },
  { key: 'ended', title: 'calls', unit: '', width: '76px', value: (row) => row.ended },
  { key: 'failed', title: 'errors', unit: '', width: '58px', value: (row) => row.failed },
  figure('least', 'least', (row) => row.least),
  figure('mean', 'mean', (row) => row.mean),
  figure('p50', 'p50', (row) => row.p50),
  figure('p95', 'p95', (row) => row.p95),
  figure('p99', 'p99', (row) => row.p99),
  figure('greatest', 'greatest', (row) => row.greatest),
  { key: 'ratio', title: 'mean to the first', unit: '', width: '184px', value: (row) => row.ratio },
  { key: 'rule', title: '', width: '108px' },
]
</script>

<template>
  <div data-test="statement-figures">
    <h2 class="part mt-2"><span>Every statement</span></h2>
    <DataTable :rows="rows" :columns="COLUMNS" :row-key="(row) => `${row.statement} ${row.arm}`">
      <template #name="{ row }"
        ><code :title="row.name">{{ row.statement }}: {{ row.name }}</code></template
      >
      <template #ratio="{ row }"
        ><template v-if="row.ratio !== null"
          >{{ three(row.ratio) }}×<span v-if="row.low !== null && row.high !== null" class="unit ms-2">{{ three(row.low) }} to {{ three(row.high) }}</span></template
        ><span v-else></span
      ></template>
      <template #rule="{ row }"
        ><RatioRule v-if="row.ratio !== null" :ratio="row.ratio" :low="row.low" :high="row.high" :shown="row.said !== 'no difference shown'" :width="92" :end="end" :title="row.said"
      /></template>
    </DataTable>
  </div>
</template>
