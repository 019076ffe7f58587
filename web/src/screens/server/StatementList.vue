<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import CellBar from '@/parts/CellBar.vue'
import DataTable from '@/parts/DataTable.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { colourOf, placeOf } from '@/state/families'
import { share } from '@/state/units'
import { useWindow } from '@/state/window'

type Row = Schemas['StatementRow']
const props = defineProps<{ rows: Row[]; scope: string; reference: string }>()
const w = useWindow()
const columns = computed<Column<Row>[]>(() => [
  { key: 'text', title: 'Statement', wide: true, code: true, value: (row) => row.text },
  { key: 'share', title: 'share', unit: 'share', width: '76px', value: (row) => row.share },
  { key: 'rate', title: 'calls/s', unit: '', width: '70px', value: (row) => row.calls_per_s },
  { key: 'each', title: 'per call', unit: 's', width: '86px', value: (row) => row.time_per_call_s, missing: 'none finished' },
  { key: 'reference', title: props.reference, unit: 's', width: '86px', value: (row) => row.reference_time_per_call_s?.value, missing: 'none' },
  { key: 'difference', title: '', width: '104px' },
])
const open = (row: Row) => w.router.push({ name: 'statement', params: { fingerprint: row.fingerprint }, query: { ...w.kept.value, scope: props.scope } })
</script>

<template>
  <DataTable :rows="rows" :columns="columns" :row-key="(row) => row.fingerprint" opens @open="open">
    <template #text="{ row }"
      ><SubjectLink kind="statement" :name="row.fingerprint" :server="scope" class="sql" :title="row.text">{{ row.text }}</SubjectLink></template
    >
    <template #share="{ row }"
      ><CellBar :value="row.share" :max="1" :colour="colourOf(row.main_family, placeOf(row.main_family))">{{ share(row.share) }}</CellBar></template
    >
    <template #difference="{ row }"
      ><span class="faded">{{ row.unfinished ? `${row.unfinished} still running` : row.difference.replace(' a typical day', '').replace(' the reference', '') }}</span></template
    >
  </DataTable>
</template>
