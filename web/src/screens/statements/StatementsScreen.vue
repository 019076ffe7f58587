<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { api, type Schemas } from '@/api/client'
import { COLUMNS, FIRST } from './columns'
import DataTable from '@/parts/DataTable.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import ReferenceNote from '@/parts/ReferenceNote.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import StateNote from '@/parts/StateNote.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

type Row = Schemas['StatementRow']
const SHOW = [
  { value: 'all', text: 'all statements' },
  { value: 'new', text: 'new here' },
  { value: 'slower', text: 'slower than usual' },
]
const w = useWindow()
const answer = useAnswer(
  () => w.asked.value,
  (query) => api.GET('/api/statements', { params: { query } }),
  () => w.following.value,
)
const search = computed({ get: () => String(w.route.query.search ?? ''), set: (value) => w.change({ search: value || undefined }) })
const show = computed({ get: () => String(w.route.query.show ?? 'all'), set: (value) => w.change({ show: value === 'all' ? undefined : value }) })
const order = computed(() => String(w.route.query.sort ?? 'share'))
const keeps: Record<string, (row: Row) => boolean> = {
  all: () => true,
  new: (row) => row.reference_time_per_call_s === null,
  slower: (row) => row.reference_time_per_call_s !== null && row.time_per_call_s !== null && row.time_per_call_s > 1.1 * row.reference_time_per_call_s.high,
}
const rows = computed(() => (answer.data.value?.rows ?? []).filter((row) => row.text.toLowerCase().includes(search.value.toLowerCase()) && (keeps[show.value] ?? keeps.all)(row)))
const open = (row: Row) => w.router.push({ name: 'statement', params: { fingerprint: row.fingerprint }, query: { ...w.kept.value, scope: w.scope.value } })
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer" fill>
    <ReferenceNote :note="`${data.reference_note} ${data.blind}`" />
    <DataTable name="statements" fill opens :rows="rows" :columns="COLUMNS" :first="FIRST" :row-key="(row) => row.fingerprint" :sort="order" @sort="(key) => w.change({ sort: key })" @open="open">
      <BFormInput v-model="search" size="sm" placeholder="FROM loan" aria-label="Search in the text" class="search" />
      <BFormSelect v-model="show" :options="SHOW" size="sm" class="show" aria-label="Which statements" />
      <span class="faded">{{ rows.length }} of {{ data.rows.length }}; × compares with {{ w.referenceWords.value }}</span>
      <template #text="{ row }"
        ><SubjectLink kind="statement" :name="row.fingerprint" :server="w.scope.value" class="sql" :title="row.text">{{ row.text }}</SubjectLink></template
      >
    </DataTable>
    <StateNote v-if="!rows.length" :problem="null" :working="false" has empty><template #empty>No statement matches. Clear the search, or move the focus on the tape.</template></StateNote>
  </AnswerSheet>
</template>

<style scoped>
.search {
  width: 220px;
}
.show {
  width: 200px;
}
</style>
