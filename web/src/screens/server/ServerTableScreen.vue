<script setup lang="ts">
import { computed } from 'vue'
import IndexTable from './IndexTable.vue'
import SizeOverTime from './SizeOverTime.vue'
import ServerTabs from './ServerTabs.vue'
import { api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import CellBar from '@/parts/CellBar.vue'
import DataTable from '@/parts/DataTable.vue'
import FactList from '@/parts/FactList.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { clock, day, share } from '@/state/units'
import { useWindow } from '@/state/window'

/** One table: how large, what it is made of, which index serves what, and who touches it. */
const w = useWindow()
const server = computed(() => String(w.route.params.server))
const answer = useAnswer(
  () => ({ path: { server: server.value, table: String(w.route.params.table) }, query: w.asked.value }),
  (params) => api.GET('/api/servers/{server}/tables/{table}', { params }),
  () => w.following.value,
)
type Sheet = Schemas['TableSheet']
const when = (us: number | null) => (us === null ? 'not known' : `${day(us)} ${clock(us)}`)
const facts = (data: Sheet): [string, number | null, string][] => [
  ['rows', data.table.rows, ''],
  ['dead rows', data.table.dead_rows, ''],
  ['heap', data.table.heap_bytes, 'B'],
  ['of it spare', data.table.spare_bytes, 'B'],
  ['indexes', data.table.index_bytes, 'B'],
  ['grows a day', data.grows_bytes_per_day, 'B'],
  ['inserts', data.table.inserts_per_s, '/s'],
  ['updates', data.table.updates_per_s, '/s'],
  ['deletes', data.table.deletes_per_s, '/s'],
  ['rows by whole scans', data.table.rows_by_scan_per_s, '/s'],
  ['rows by lookups', data.table.rows_by_lookup_per_s, '/s'],
  ['changed since statistics', data.table.changed_since, ''],
]
const COLUMNS: Column<Schemas['ColumnOut']>[] = [
  { key: 'name', title: 'column', code: true, value: (one) => one.name },
  { key: 'type', title: 'type', value: (one) => one.type },
  { key: 'width', title: 'width', unit: 'B', value: (one) => one.width_bytes },
  { key: 'distinct', title: 'distinct', unit: '', value: (one) => one.distinct, missing: 'not known' },
  { key: 'nulls', title: 'nulls', unit: 'share', value: (one) => one.null_share },
  { key: 'indexes', title: 'in indexes', value: (one) => one.indexes.join(', ') },
]
const STATEMENTS: Column<Schemas['TouchingStatement']>[] = [
  { key: 'text', title: 'statement', wide: true, code: true, value: (one) => one.text },
  { key: 'share', title: 'of all time', unit: 'share', width: '130px', value: (one) => one.time_share },
  { key: 'calls', title: 'calls', unit: '', width: '90px', value: (one) => one.calls },
  { key: 'each', title: 'a call', unit: 's', width: '100px', value: (one) => one.time_per_call_s },
  { key: 'reads', title: 'reads by', width: '230px', value: (one) => one.reads.join(', ') },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.sentence }}</template>
    <template #default="{ data }">
      <ServerTabs />
      <div class="about">
        <FactList :facts="facts(data)" :columns="3" missing="not known" />
        <div>
          <SizeOverTime v-if="data.sizes.length > 1" :sizes="data.sizes" />
          <p v-else class="faded">Its size over time is not known yet.</p>
          <p class="faded small-words mb-0">Last upkeep {{ when(data.table.upkeep_us) }}; last statistics {{ when(data.table.statistics_us) }}.</p>
          <p v-if="data.table.place" class="faded small-words mb-0">
            Lies in {{ data.table.place
            }}<template v-if="data.table.file"
              >, file <code>{{ data.table.file }}</code></template
            >.
          </p>
        </div>
      </div>
      <h2 class="part mt-3"><span>Indexes</span></h2>
      <IndexTable :indexes="data.table.indexes" :read-by="data.read_by" />
      <h2 class="part mt-3"><span>Statements that touch it</span></h2>
      <DataTable v-if="data.statements.length" :rows="data.statements" :columns="STATEMENTS" :row-key="(one) => one.fingerprint">
        <template #text="{ row }"
          ><SubjectLink kind="statement" :name="row.fingerprint" :server="server">{{ row.text }}</SubjectLink></template
        >
        <template #share="{ row }"
          ><CellBar :value="row.time_share" :max="1" colour="var(--f-data-read)">{{ share(row.time_share) }}</CellBar></template
        >
      </DataTable>
      <p v-else class="faded">None of the statements that were counted in the focus.</p>
      <h2 class="part mt-3"><span>Columns, as the planner knows them</span></h2>
      <DataTable :rows="data.columns" :columns="COLUMNS" :row-key="(one) => one.name" />
    </template>
  </AnswerSheet>
</template>

<style scoped>
.about {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 440px;
  gap: 28px;
  align-items: start;
}
.small-words {
  font-size: 12.5px;
}
</style>
