<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { COLUMNS, FIRST } from './columns'
import DataTable from '@/parts/DataTable.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import StateNote from '@/parts/StateNote.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

type Row = Schemas['StatementRow']
const SHOW = [
  { value: 'all', text: 'all statements' },
  { value: 'new', text: 'new since the reference' },
  { value: 'slower', text: 'slower than the reference' },
]
const w = useWindow()
const answer = useAnswer<Schemas['Statements']>(() => `statements?${w.api()}`, () => w.following.value)
const search = computed({ get: () => String(w.route.query.search ?? ''), set: (value) => w.change({ search: value || undefined }) })
const show = computed({ get: () => String(w.route.query.show ?? 'all'), set: (value) => w.change({ show: value === 'all' ? undefined : value }) })
const order = computed(() => String(w.route.query.sort ?? 'share'))
const keeps: Record<string, (row: Row) => boolean> = {
  all: () => true,
  new: (row) => row.reference_time_per_call_s === null,
  slower: (row) => row.reference_time_per_call_s !== null && row.time_per_call_s > 1.1 * row.reference_time_per_call_s,
}
const rows = computed(() => (answer.data.value?.rows ?? []).filter((row) => row.text.toLowerCase().includes(search.value.toLowerCase()) && (keeps[show.value] ?? keeps.all)(row)))
const to = (row: Row) => ({ name: 'statement', params: { fingerprint: row.fingerprint }, query: { ...w.kept.value, scope: w.scope.value } })
</script>

<template>
  <AnswerSheet :answer="answer" fill v-slot="{ data }">
    <DataTable name="statements" :rows="rows" :columns="COLUMNS" :first="FIRST" :sort="order" :to="to" @sort="(key) => w.change({ sort: key })" @open="(row) => w.router.push(to(row))">
      <BFormInput v-model="search" size="sm" placeholder="Search in the text" aria-label="Search in the text" class="search" />
      <BFormSelect v-model="show" :options="SHOW" size="sm" class="show" aria-label="Which statements" />
      <span class="faded">{{ rows.length }} of {{ data.rows.length }}; × compares with the reference</span>
    </DataTable>
    <StateNote v-if="!rows.length" :problem="null" :working="false" has empty><template #empty>No statement matches. Take out the search, or move the focus on the tape.</template></StateNote>
  </AnswerSheet>
</template>

<style scoped>
.search { width: 220px; }
.show { width: 200px; }
</style>
