<script setup lang="ts">
import { computed } from 'vue'
import { api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import RatioRule from '@/parts/RatioRule.vue'
import type { Column } from '@/parts/table'
import { scaleEnd, three } from './design'
import { useAnswer } from '@/state/fetching'
import { said, text } from '@/state/units'
import { useWindow } from '@/state/window'

/** Two trials on file beside each other, arm by arm. */
const w = useWindow()
type Row = Schemas['ArmAgainst']
const asked = computed(() => ({ path: { trial_id: Number(w.route.params.id), other: Number(w.route.params.other) } }))
const answer = useAnswer(
  () => asked.value,
  (params) => api.GET('/api/trials/{trial_id}/against/{other}', { params }),
)
const end = (rows: Row[]) => scaleEnd(rows.flatMap((row) => [row.ratio.low, row.ratio.high]))
const figure = (row: Row, value: number) => text(said(value, row.unit))
const COLUMNS: Column<Row>[] = [
  { key: 'arm', title: 'arm', wide: true, value: (row) => (row.first === row.second ? row.first : `${row.first}, ${row.second}`) },
  { key: 'metric', title: 'figure of all statements', width: '180px', value: (row) => row.metric },
  { key: 'before', title: 'first', unit: '', width: '120px', value: (row) => row.first_mean },
  { key: 'after', title: 'second', unit: '', width: '120px', value: (row) => row.second_mean },
  { key: 'ratio', title: 'second to first', unit: '', width: '200px', value: (row) => row.ratio.ratio },
  { key: 'rule', title: '', width: '190px' },
  { key: 'outcome', title: '', width: '170px', value: (row) => row.outcome },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #default="{ data }">
      <p class="mb-1">
        First: <RouterLink :to="{ name: 'trial', params: { id: asked.path.trial_id }, query: w.kept.value }">trial {{ asked.path.trial_id }}, {{ data.first }}</RouterLink
        >. Second: <RouterLink :to="{ name: 'trial', params: { id: asked.path.other }, query: w.kept.value }">trial {{ asked.path.other }}, {{ data.second }}</RouterLink
        >.
      </p>
      <DataTable v-if="data.rows.length" :rows="data.rows" :columns="COLUMNS" :row-key="(row) => `${row.first} ${row.second} ${row.metric}`">
        <template #before="{ row }"
          ><span class="figure">{{ figure(row, row.first_mean) }}</span></template
        >
        <template #after="{ row }"
          ><span class="figure">{{ figure(row, row.second_mean) }}</span></template
        >
        <template #ratio="{ row }"
          >{{ three(row.ratio.ratio) }}×<span class="unit ms-2">{{ three(row.ratio.low) }} to {{ three(row.ratio.high) }}</span></template
        >
        <template #rule="{ row }"
          ><RatioRule :ratio="row.ratio.ratio" :low="row.ratio.low" :high="row.ratio.high" :shown="row.outcome !== 'no difference shown'" :width="160" :end="end(data.rows)"
        /></template>
      </DataTable>
      <template v-if="data.differs.length">
        <h2 class="part mt-2"><span>What else differs in their designs</span></h2>
        <p v-for="one in data.differs" :key="one" class="mb-1 sql">{{ one }}</p>
      </template>
    </template>
  </AnswerSheet>
</template>
