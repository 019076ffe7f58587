<script setup lang="ts">
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'

type Run = Schemas['RunOut']
defineProps<{ runs: Run[]; trial: number; kept: boolean }>()
const COLUMNS: Column<Run>[] = [
  { key: 'run', title: 'run', unit: '', value: (run) => run.number + 1 },
  { key: 'block', title: 'block', unit: '', value: (run) => (run.block < 0 ? null : run.block + 1), missing: 'search' },
  { key: 'arm', title: 'arm', value: (run) => run.arm },
  { key: 'warm', title: 'left out', unit: 's', value: (run) => run.warm_s },
  { key: 'executions', title: 'executions', unit: '', value: (run) => run.all.executions },
  { key: 'throughput', title: 'throughput', unit: '/s', value: (run) => run.all.throughput },
  { key: 'p95', title: 'p95, all', unit: 's', value: (run) => run.all.p95 },
  { key: 'goal', title: 'p95, goal', unit: 's', value: (run) => run.goal.p95 },
  { key: 'failed', title: 'failed', unit: '', value: (run) => run.failed },
]
</script>

<template>
  <details class="mt-2">
    <summary>every run</summary>
    <p v-if="kept" class="mb-1">
      Every execution as <a :href="`/api/trials/${trial}/executions?form=parquet`" download data-test="executions-parquet">Parquet</a> or
      <a :href="`/api/trials/${trial}/executions?form=csv`" download data-test="executions-csv">CSV</a>: run, block, arm, statement, start and duration in seconds, failed.
    </p>
    <DataTable :rows="runs" :columns="COLUMNS" :row-key="(run) => run.number" />
  </details>
</template>

<style scoped>
summary {
  color: var(--petrol);
  font-size: 13px;
}
</style>
