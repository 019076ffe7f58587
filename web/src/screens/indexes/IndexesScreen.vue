<script setup lang="ts">
import { BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { day } from '@/state/units'
import { useWindow } from '@/state/window'

/** Which indexes of the scope cost and give nothing, are missing, or are too large; each told once for its cluster. */
type Row = Schemas['IndexLine']
const w = useWindow()
const answer = useAnswer(
  () => w.asked.value,
  (query) => api.GET('/api/indexes', { params: { query } }),
)
const search = ref('')
const kind = computed({ get: () => String(w.route.query.kind ?? ''), set: (value) => w.change({ kind: value || undefined }) })
const kinds = (lines: readonly Row[]) => [...new Set(lines.map((one) => one.judged))].map((one) => ({ name: one, count: lines.filter((line) => line.judged === one).length }))
const shown = (lines: readonly Row[]) =>
  lines.filter((one) => (!kind.value || one.judged === kind.value) && `${one.cluster} ${one.table} ${one.index}`.toLowerCase().includes(search.value.toLowerCase()))
const open = ref<string | null>(null)
const key = (row: Row) => `${row.cluster}/${row.table}/${row.index}/${row.columns.join()}/${row.judged}`
const COLUMNS: Column<Row>[] = [
  { key: 'index', title: 'index', width: '170px', code: true, value: (one) => one.index || `on ${one.columns.join(', ')}` },
  { key: 'table', title: 'table', width: '120px', value: (one) => one.table },
  { key: 'cluster', title: 'cluster', width: '84px', value: (one) => one.cluster },
  { key: 'judged', title: '', width: '150px', value: (one) => one.judged },
  { key: 'why', title: 'why', wide: true, value: (one) => one.why },
  { key: 'bytes', title: 'size', unit: 'B', width: '90px', value: (one) => one.bytes },
  { key: 'reads', title: 'lookups', unit: '/day', width: '140px', value: (one) => one.lookups_per_day, missing: 'not known' },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.sentence }}</template>
    <template #default="{ data }">
      <div class="d-flex gap-2 align-items-center mb-2 flex-wrap">
        <BFormInput v-model="search" size="sm" placeholder="loan" aria-label="Search the indexes" class="search" />
        <button type="button" class="btn btn-sm" :class="kind ? 'btn-outline-secondary' : 'btn-secondary'" @click="kind = ''">all {{ data.lines.length }}</button>
        <button v-for="one in kinds(data.lines)" :key="one.name" type="button" class="btn btn-sm" :class="kind === one.name ? 'btn-secondary' : 'btn-outline-secondary'" @click="kind = one.name">
          {{ one.name }} {{ one.count }}
        </button>
      </div>
      <DataTable
        :rows="shown(data.lines)"
        :columns="COLUMNS"
        :row-key="key"
        opens
        data-test="indexes"
        :expanded="(row) => key(row) === open"
        @open="(row) => (open = open === key(row) ? null : key(row))"
      >
        <template #table="{ row }"
          ><SubjectLink kind="table" :name="row.table" :server="row.server">{{ row.table }}</SubjectLink></template
        >
        <template #below="{ row }">
          <p class="mb-1">
            {{ row.where }} <span class="faded">{{ row.why }}</span><template v-if="row.since_us">; counted since {{ day(row.since_us) }}</template>
          </p>
          <pre v-if="row.script" class="script mb-1">{{ row.script }}</pre>
          <p v-if="row.undo" class="faded mb-0">
            Undo: <code>{{ row.undo }}</code>
          </p>
        </template>
      </DataTable>
      <p v-for="one in data.unknown" :key="one" class="faded mb-0">Not known: {{ one }}.</p>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.search {
  width: 200px;
}
</style>
