<script setup lang="ts">
import { BFormInput } from 'bootstrap-vue-next'
import ServerTabs from './ServerTabs.vue'
import { useServerPart } from './part'
import { api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import GaugeScale from '@/parts/GaugeScale.vue'
import StateNote from '@/parts/StateNote.vue'
import type { Column } from '@/parts/table'

type Row = Schemas['RecordedFigure']
const { answer, search, rows } = useServerPart(
  ({ server, query }) => api.GET('/api/servers/{server}/figures', { params: { path: { server }, query } }),
  (data) => data.figures,
  (row) => row.title,
)
const COLUMNS: Column<Row>[] = [
  { key: 'title', title: 'figure', wide: true, value: (row) => row.title },
  { key: 'value', title: 'in the focus', unit: '', width: '140px', value: (row) => row.value },
  { key: 'last', title: 'last', unit: '', width: '120px', value: (row) => row.last },
  { key: 'usual', title: 'usually', unit: '', width: '250px', value: (row) => row.centre },
  { key: 'word', title: 'is', width: '110px', value: (row) => row.word },
  { key: 'scale', title: '', width: '180px' },
]
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer" fill>
    <ServerTabs />
    <DataTable fill :rows="rows" :columns="COLUMNS" :row-key="(row) => row.name">
      <BFormInput v-model="search" size="sm" placeholder="transaction" aria-label="Search the figures" class="search" />
      <span class="faded">{{ rows.length }} of {{ data.figures.length }}; counters as what they grow by, levels as their mean</span>
      <template #value="{ row }"><FigureText :value="row.value" :unit="row.unit" /></template>
      <template #last="{ row }"
        ><span><FigureText v-if="row.level" :value="row.last" :unit="row.unit" /></span
      ></template>
      <template #usual="{ row }"
        ><template v-if="row.low !== null"><FigureText :value="row.low" :unit="row.unit" /> to <FigureText :value="row.high" :unit="row.unit" /></template
        ><span v-else class="faded">not known yet</span></template
      >
      <template #word="{ row }"
        ><span :class="row.word === 'usual' || row.low === null ? 'faded' : 'strong'">{{ row.low === null ? '' : row.word }}</span></template
      >
      <template #scale="{ row }"><GaugeScale :name="row.title" :value="row.value" :low="row.low" :high="row.high" :reference="row.centre" :unit="row.unit" :width="160" /></template>
    </DataTable>
    <StateNote v-if="!rows.length" :problem="null" :working="false" has empty><template #empty>No figure matches. Clear the search, or move the focus on the tape.</template></StateNote>
  </AnswerSheet>
</template>

<style scoped>
.search {
  width: 220px;
}
</style>
