<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import type { Column } from '@/parts/table'
import { day } from '@/state/units'

type Row = Schemas['IndexOut']
const props = defineProps<{ indexes: readonly Row[]; readBy?: Record<string, number> }>()
const kind = (row: Row) => [row.constraint || (row.unique ? 'unique' : ''), row.valid ? '' : 'not valid', row.predicate ? `where ${row.predicate}` : ''].filter(Boolean).join(', ')
const columns = computed<Column<Row>[]>(() => [
  { key: 'name', title: 'index', value: (row) => row.name },
  { key: 'columns', title: 'over', value: (row) => row.columns.join(', ') },
  { key: 'kind', title: 'kind', value: kind },
  { key: 'bytes', title: 'size', unit: 'B', value: (row) => row.bytes },
  { key: 'needed', title: 'needed', unit: 'B', value: (row) => row.needed_bytes },
  { key: 'lookups', title: 'lookups', unit: '/s', value: (row) => row.lookups_per_s },
  { key: 'counted', title: 'counted', unit: '', value: (row) => row.lookups_counted },
  ...(props.indexes.some((one) => one.place) ? [{ key: 'place', title: 'stored in', value: (row: Row) => row.place }] : []),
  ...(props.readBy
    ? [{ key: 'read', title: 'read by', value: (row: Row) => (props.readBy?.[row.name] ? `${props.readBy[row.name]} ${props.readBy[row.name] === 1 ? 'statement' : 'statements'}` : 'no plan known') }]
    : []),
])
</script>

<template>
  <DataTable v-if="indexes.length" :rows="indexes" :columns="columns" :row-key="(row) => row.name">
    <template #place="{ row }"
      ><span :title="row.file">{{ row.place }}</span></template
    >
    <template #counted="{ row }"
      ><FigureText :value="row.lookups_counted" unit="" /><span v-if="row.counted_since_us" class="faded"> since {{ day(row.counted_since_us) }}</span></template
    >
  </DataTable>
  <p v-else class="faded mb-0">No index.</p>
</template>
