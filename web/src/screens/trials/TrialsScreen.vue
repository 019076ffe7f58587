<script setup lang="ts">
import { api, type Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

const w = useWindow()
type Line = Schemas['TrialLine']
const answer = useAnswer(
  () => 'trials',
  () => api.GET('/api/trials'),
  () => true,
)
const open = (trial: Line) => w.router.push({ name: 'trial', params: { id: trial.id }, query: w.kept.value })
const COLUMNS: Column<Line>[] = [
  { key: 'id', title: 'no.', unit: '', value: (trial) => trial.id },
  { key: 'created', title: 'started', value: (trial) => trial.created_us },
  { key: 'title', title: 'trial', value: (trial) => trial.title },
  { key: 'state', title: 'state', value: (trial) => trial.state },
  { key: 'sentence', title: 'verdict', value: (trial) => trial.sentence },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #beside>
      <RouterLink class="btn btn-sm btn-primary" :to="{ name: 'new-trial', query: w.kept.value }" data-test="new-trial">Design a trial</RouterLink>
    </template>
    <template #default="{ data }">
      <DataTable v-if="data.trials.length" :rows="data.trials" :columns="COLUMNS" :row-key="(trial) => trial.id" opens @open="open">
        <template #created="{ row }"
          ><span class="figure">{{ day(row.created_us) }} {{ clock(row.created_us) }}</span></template
        >
        <template #title="{ row }"
          ><SubjectLink kind="trial" :name="String(row.id)">{{ row.title }}</SubjectLink></template
        >
        <template #state="{ row }">{{ row.state }}{{ row.state === 'running' ? ` ${Math.round(row.done_share * 100)}%` : '' }}</template>
      </DataTable>
      <p v-else class="faded">A trial compares one change with things as they are, in interleaved runs. Start from a finding's "Try it", or design one here.</p>
    </template>
  </AnswerSheet>
</template>
