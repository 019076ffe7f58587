<script setup lang="ts">
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import { said, text } from '@/state/units'
import type { Column } from '@/parts/table'

/** What a call takes by the value that matters most, and with which plan. */
defineProps<{ found: Schemas['ByValue']; server?: string }>()
type Row = Schemas['ValueRow']
const between = (row: Row) => (row.low_s === null || row.high_s === null ? '' : `${text(said(row.low_s, 's'))} to ${text(said(row.high_s, 's'))}`)
const COLUMNS: Column<Row>[] = [
  { key: 'value', title: 'value', wide: true, value: (row) => row.value },
  { key: 'plan', title: 'plan', width: '96px', value: (row) => row.plan_key ?? 'not told' },
  { key: 'calls', title: 'calls', unit: '', width: '70px', value: (row) => row.calls },
  { key: 'median', title: 'median', unit: 's', width: '90px', value: (row) => row.median_s },
  { key: 'between', title: '95%', width: '150px', value: between, missing: 'too few' },
  { key: 'share', title: 'of the time', unit: 'share', width: '94px', value: (row) => row.share },
]
</script>

<template>
  <section data-test="by-value">
    <h2 class="part"><span>By value</span></h2>
    <p class="mb-1">{{ found.sentence }}</p>
    <DataTable v-if="found.rows.length" name="by-value" :rows="found.rows" :columns="COLUMNS" :row-key="(row) => `${row.value} ${row.plan_key}`">
      <template #plan="{ row }"
        ><SubjectLink v-if="row.plan_key && server" kind="plan" :name="row.plan_key" :server="server"
          ><code>{{ row.plan_key.slice(0, 8) }}</code></SubjectLink
        ><span v-else class="faded">{{ row.plan_key?.slice(0, 8) ?? 'not told' }}</span></template
      >
      <template #between="{ row }"
        ><span class="figure">{{ between(row) || 'too few' }}</span></template
      >
    </DataTable>
  </section>
</template>
