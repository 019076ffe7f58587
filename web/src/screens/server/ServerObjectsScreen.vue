<script setup lang="ts">
import { BFormInput } from 'bootstrap-vue-next'
import { ref } from 'vue'
import IndexTable from './IndexTable.vue'
import ServerTabs from './ServerTabs.vue'
import { useServerPart } from './part'
import { api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import StateNote from '@/parts/StateNote.vue'
import type { Column } from '@/parts/table'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

type Row = Schemas['TableOut']
const { answer, search, rows } = useServerPart(
  ({ server, query }) => api.GET('/api/servers/{server}/objects', { params: { path: { server }, query } }),
  (data) => data.tables,
  (row) => row.name,
)
const w = useWindow()
const open = ref<string | null>(null)
const when = (us: number | null) => (us === null ? 'not known' : `${day(us)} ${clock(us)}`)
const COLUMNS: Column<Row>[] = [
  { key: 'name', title: 'table', value: (row) => row.name },
  { key: 'rows', title: 'rows', unit: '', value: (row) => row.rows },
  { key: 'dead', title: 'dead', unit: '', value: (row) => row.dead_rows },
  { key: 'heap', title: 'heap', unit: 'B', value: (row) => row.heap_bytes },
  { key: 'spare', title: 'of it spare', unit: 'B', value: (row) => row.spare_bytes },
  { key: 'indexes', title: 'indexes', unit: 'B', value: (row) => row.index_bytes },
  { key: 'other', title: 'other', unit: 'B', value: (row) => row.other_bytes },
  { key: 'scans', title: 'scans', unit: '/s', value: (row) => row.scans_per_s },
  { key: 'scanned', title: 'rows by scans', unit: '/s', value: (row) => row.rows_by_scan_per_s },
  { key: 'lookups', title: 'lookups', unit: '/s', value: (row) => row.lookups_per_s },
  { key: 'fetched', title: 'rows by lookups', unit: '/s', value: (row) => row.rows_by_lookup_per_s },
  { key: 'inserts', title: 'inserts', unit: '/s', value: (row) => row.inserts_per_s },
  { key: 'updates', title: 'updates', unit: '/s', value: (row) => row.updates_per_s },
  { key: 'in_place', title: 'updates in place', unit: '/s', value: (row) => row.in_place_updates_per_s },
  { key: 'deletes', title: 'deletes', unit: '/s', value: (row) => row.deletes_per_s },
  { key: 'upkeep', title: 'last upkeep', value: (row) => when(row.upkeep_us) },
  { key: 'statistics', title: 'last statistics', value: (row) => when(row.statistics_us) },
  { key: 'changed', title: 'changed since', unit: '', value: (row) => row.changed_since },
  { key: 'place', title: 'stored in', value: (row) => row.place || 'not reported' },
  { key: 'file', title: 'file', value: (row) => row.file || 'not reported' },
  { key: 'age', title: 'transaction age', unit: '', value: (row) => row.transaction_age },
]
const FIRST = ['name', 'rows', 'dead', 'heap', 'spare', 'indexes', 'scanned', 'lookups', 'inserts', 'updates', 'deletes']
const SEQUENCES: Column<Schemas['SequenceOut']>[] = [
  { key: 'name', title: 'sequence', wide: true, value: (row) => row.name },
  { key: 'column', title: 'fills', value: (row) => row.column || 'not told' },
  { key: 'type', title: 'type', value: (row) => row.type },
  { key: 'value', title: 'last value', unit: '', value: (row) => row.value },
  { key: 'most', title: 'ends at', unit: '', value: (row) => row.most },
  { key: 'used', title: 'used', unit: 'share', value: (row) => row.used },
]
const options = (row: Row) => Object.entries(row.options).map(([name, value]) => `${name} = ${value}`)
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer">
    <ServerTabs />
    <DataTable
      name="tables"
      opens
      :rows="rows"
      :columns="COLUMNS"
      :first="FIRST"
      :row-key="(row) => row.name"
      :expanded="(row) => row.name === open"
      @open="(row) => (open = open === row.name ? null : row.name)"
    >
      <BFormInput v-model="search" size="sm" placeholder="loan" aria-label="Search the tables" class="search" />
      <span class="faded">{{ rows.length }} of {{ data.tables.length }} tables; Enter shows the indexes of one</span>
      <RouterLink :to="{ name: 'indexes', query: w.kept.value }">Which indexes give nothing</RouterLink>
      <template #name="{ row }"
        ><SubjectLink kind="table" :name="row.name" :server="data.server" data-test="table-link">{{ row.name }}</SubjectLink></template
      >
      <template #below="{ row }">
        <IndexTable :indexes="row.indexes" />
        <p class="faded mb-0">
          Upkeep {{ when(row.upkeep_us) }}; statistics {{ when(row.statistics_us)
          }}<template v-for="one in options(row)" :key="one"
            >; <code>{{ one }}</code></template
          >
        </p>
      </template>
    </DataTable>
    <StateNote v-if="!rows.length" :problem="null" :working="false" has empty><template #empty>No table matches, or none is reported.</template></StateNote>
    <template v-if="data.sequences.length">
      <h2 class="part mt-3"><span>Sequences</span></h2>
      <DataTable :rows="data.sequences" :columns="SEQUENCES" :row-key="(row) => row.name" />
    </template>
  </AnswerSheet>
</template>

<style scoped>
.search {
  width: 220px;
}
</style>
