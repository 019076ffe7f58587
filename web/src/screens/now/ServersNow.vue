<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import type { Column } from '@/parts/table'

/** Counts of every server of a scope; a row opens the server's sessions. */
type Row = Schemas['ServerNow']
const props = defineProps<{ servers: Row[]; long: number }>()
const emit = defineEmits<{ open: [string] }>()
const of = (row: Row, state: string) => row.states.find((one) => one.name === state)?.count ?? 0
const known = (row: Row, value: number | null) => (row.at_us === null ? null : value)
const columns = computed<Column<Row>[]>(() => [
  { key: 'server', title: 'server', width: '130px', value: (row) => row.server },
  { key: 'working', title: 'working', unit: '', width: '90px', value: (row) => known(row, of(row, 'working')) },
  { key: 'waiting', title: 'waiting', unit: '', width: '90px', value: (row) => known(row, of(row, 'waiting')) },
  { key: 'blocked', title: 'for another', unit: '', width: '104px', value: (row) => known(row, of(row, 'waiting for another session')) },
  { key: 'idle', title: 'idle in transaction', unit: '', width: '140px', value: (row) => known(row, of(row, 'idle in a transaction')) },
  { key: 'long', title: `calls over ${props.long} s`, unit: '', width: '118px', value: (row) => known(row, row.long_calls) },
  { key: 'longest', title: 'longest call', unit: 's', width: '108px', value: (row) => row.longest_s },
  { key: 'open', title: 'sessions open', unit: '', width: '120px', value: (row) => row.open },
  {
    key: 'families',
    title: 'waits for',
    wide: true,
    value: (row) =>
      row.error ||
      row.families
        .filter((one) => one.name !== 'processor')
        .map((one) => `${one.name} ${one.count}`)
        .join(', '),
  },
])
</script>

<template>
  <DataTable opens :rows="servers" :columns="columns" :row-key="(row) => row.server" @open="(row) => emit('open', row.server)">
    <template #server="{ row }"
      ><button type="button" class="btn btn-link p-0 name">{{ row.server }}</button></template
    >
    <template #open="{ row }"
      ><FigureText :value="row.open" unit="" missing="not reported" /><span v-if="row.limit" class="unit"> of {{ row.limit }}</span></template
    >
  </DataTable>
</template>

<style scoped>
.name {
  font-size: 13px;
}
</style>
