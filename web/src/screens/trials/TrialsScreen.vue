<script setup lang="ts">
import { computed, ref } from 'vue'
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
const chosen = ref<number[]>([])
const choose = (id: number) => (chosen.value = chosen.value.includes(id) ? chosen.value.filter((one) => one !== id) : [...chosen.value.slice(-1), id])
const pair = computed(() => [...chosen.value].sort((a, b) => a - b))
const COLUMNS: Column<Line>[] = [
  { key: 'choose', title: '', width: '30px' },
  { key: 'id', title: 'no.', unit: '', width: '50px', value: (trial) => trial.id },
  { key: 'created', title: 'started', width: '160px', value: (trial) => trial.created_us },
  { key: 'follows', title: 'came of', unit: '', width: '80px', value: (trial) => trial.follows, missing: '–' },
  { key: 'title', title: 'trial', width: '300px', value: (trial) => trial.title },
  { key: 'state', title: 'state', width: '100px', value: (trial) => trial.state },
  { key: 'sentence', title: 'verdict', wide: true, value: (trial) => trial.sentence },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #beside>
      <div>
        <RouterLink
          v-if="pair.length === 2"
          class="btn btn-sm btn-outline-secondary me-2"
          :to="{ name: 'trials-against', params: { id: pair[0], other: pair[1] }, query: w.kept.value }"
          data-test="against"
          >Trial {{ pair[0] }} against {{ pair[1] }}</RouterLink
        >
        <RouterLink class="btn btn-sm btn-outline-secondary me-2" :to="{ name: 'expectations', query: w.kept.value }" data-test="expectations">Expected and measured</RouterLink>
        <RouterLink class="btn btn-sm btn-primary" :to="{ name: 'new-trial', query: w.kept.value }" data-test="new-trial">Design a trial</RouterLink>
      </div>
    </template>
    <template #default="{ data }">
      <DataTable v-if="data.trials.length" :rows="data.trials" :columns="COLUMNS" :row-key="(trial) => trial.id" opens @open="open">
        <template #choose="{ row }"><input type="checkbox" :checked="chosen.includes(row.id)" :aria-label="`Compare trial ${row.id}`" @click.stop="choose(row.id)" /></template>
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
