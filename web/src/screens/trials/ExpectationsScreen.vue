<script setup lang="ts">
import { api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import ExpectedRule from './ExpectedRule.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { three } from './design'
import { useAnswer } from '@/state/fetching'
import { day } from '@/state/units'
import { useWindow } from '@/state/window'

/** Advice that was tried: what it expected, what its trial measured, and how often the two agreed. */
type Line = Schemas['ExpectationLine']
const w = useWindow()
const answer = useAnswer(
  () => 'expectations',
  () => api.GET('/api/trials/expectations'),
  () => true,
)
const open = (line: Line) => w.router.push({ name: 'trial', params: { id: line.trial }, query: w.kept.value })
const end = (lines: Line[]) => Math.max(1.25, ...lines.map((line) => line.found.met.measured * 1.1))
const COLUMNS: Column<Line>[] = [
  { key: 'trial', title: 'trial', unit: '', width: '56px', value: (line) => line.trial },
  { key: 'day', title: 'filed', width: '108px', value: (line) => line.created_us },
  { key: 'title', title: 'change, and what it was concluded from', wide: true, value: (line) => line.title },
  { key: 'expected', title: 'expected', unit: '', width: '176px', value: (line) => line.found.met.expected.ratio },
  { key: 'measured', title: 'measured', unit: '', width: '226px', value: (line) => line.found.met.measured },
  { key: 'rule', title: '', width: '200px' },
  { key: 'agreement', title: '', width: '150px', value: (line) => line.found.met.agreement },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #default="{ data }">
      <template v-if="data.lines.length">
        <DataTable :rows="data.lines" :columns="COLUMNS" :row-key="(line) => line.trial" opens @open="open">
          <template #day="{ row }"
            ><span class="figure">{{ day(row.created_us) }}</span></template
          >
          <template #title="{ row }"
            ><SubjectLink kind="trial" :name="String(row.trial)">{{ row.title }}</SubjectLink
            ><span class="faded d-block small-words">{{ row.found.met.expected.source }}</span></template
          >
          <template #expected="{ row }"
            >{{ three(row.found.met.expected.ratio) }}×<span class="unit ms-2">{{ three(row.found.met.expected.low) }} to {{ three(row.found.met.expected.high) }}</span></template
          >
          <template #measured="{ row }"
            >{{ three(row.found.met.measured) }}×<span class="unit ms-2">{{ three(row.found.met.low) }} to {{ three(row.found.met.high) }}</span></template
          >
          <template #rule="{ row }"><ExpectedRule :met="row.found.met" :end="end(data.lines)" /></template>
        </DataTable>
        <p class="faded mt-2">
          Figures are the time per call of the goal's statement with the change, as a multiple of what it is without. Bands: what was expected; marks: what was measured, with its 95% interval; dotted:
          as it was.
        </p>
      </template>
    </template>
  </AnswerSheet>
</template>
