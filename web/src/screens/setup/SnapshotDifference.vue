<script setup lang="ts">
import { computed } from 'vue'
import { api, type Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import ProblemLine from '@/parts/ProblemLine.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import FigureText from '@/parts/FigureText.vue'
import { useAnswer } from '@/state/fetching'

/** What was done between two snapshots of one server. */
const props = defineProps<{ first: number; second: number }>()
const { data, problem } = useAnswer(
  () => ({ first: props.first, second: props.second }),
  (query) => api.GET('/api/snapshots/difference', { params: { query } }),
)
const csv = computed(() => `/api/snapshots/difference/csv?first=${props.first}&second=${props.second}`)
const rate = (one: Schemas['FigureDone']) => (one.unit === 's' ? '' : one.unit ? `${one.unit}/s` : '/s')
const MOST = 14
const STATEMENTS: Column<Schemas['StatementDone']>[] = [
  { key: 'text', title: 'statement', wide: true, code: true, value: (one) => one.text },
  { key: 'user', title: 'user', width: '90px', value: (one) => one.user },
  { key: 'calls', title: 'calls', unit: '', width: '86px', value: (one) => one.calls },
  { key: 'time', title: 'time', unit: 's', width: '90px', bar: true, value: (one) => one.time_s },
  { key: 'each', title: 'per call', unit: 's', width: '86px', value: (one) => one.time_per_call_s },
  { key: 'rows', title: 'rows', unit: '', width: '86px', value: (one) => one.rows_returned },
]
const SETTINGS: Column<Schemas['SettingMoved']>[] = [
  { key: 'name', title: 'setting', value: (one) => one.name },
  { key: 'first', title: 'first', value: (one) => one.first ?? 'not reported' },
  { key: 'second', title: 'second', value: (one) => one.second ?? 'not reported' },
]
const FIGURES: Column<Schemas['FigureDone']>[] = [
  { key: 'title', title: 'counter', wide: true, value: (one) => one.title },
  { key: 'done', title: 'done', unit: '', width: '112px', value: (one) => one.done },
  { key: 'rate', title: 'per second', unit: '', width: '112px', value: (one) => one.per_s },
]
const LEVELS: Column<Schemas['LevelMoved']>[] = [
  { key: 'title', title: 'level', wide: true, value: (one) => one.title },
  { key: 'first', title: 'first', unit: '', width: '112px', value: (one) => one.first },
  { key: 'second', title: 'second', unit: '', width: '112px', value: (one) => one.second },
]
</script>

<template>
  <ProblemLine :problem="problem" />
  <section v-if="data" class="mb-4" data-test="difference">
    <h2 class="part">
      <span>{{ data.sentence }}</span>
    </h2>
    <p v-for="one in data.notes" :key="one" class="note-line">{{ one }}</p>
    <div class="parts">
      <div>
        <DataTable :rows="data.statements.slice(0, MOST)" :columns="STATEMENTS" :row-key="(one) => one.fingerprint + one.user + one.service">
          <template #text="{ row }"
            ><SubjectLink kind="statement" :name="row.fingerprint" :server="data.server" class="sql" :title="row.text">{{ row.text }}</SubjectLink></template
          >
        </DataTable>
        <p class="faded small mt-1">{{ data.statements.length }} statements were called; <a :href="csv" download>all of them as CSV</a></p>
        <DataTable v-if="data.settings.length" :rows="data.settings" :columns="SETTINGS" :row-key="(one) => one.name" />
      </div>
      <div>
        <DataTable :rows="data.figures" :columns="FIGURES" :row-key="(one) => one.name">
          <template #done="{ row }"><FigureText :value="row.done" :unit="row.unit" /></template>
          <template #rate="{ row }"><FigureText :value="row.per_s" :unit="rate(row)" /></template>
        </DataTable>
        <DataTable v-if="data.levels.length" class="mt-2" :rows="data.levels" :columns="LEVELS" :row-key="(one) => one.name">
          <template #first="{ row }"><FigureText :value="row.first" :unit="row.unit" missing="not reported" /></template>
          <template #second="{ row }"><FigureText :value="row.second" :unit="row.unit" missing="not reported" /></template>
        </DataTable>
      </div>
    </div>
  </section>
</template>

<style scoped>
.parts {
  display: grid;
  grid-template-columns: minmax(0, 1.9fr) minmax(0, 1fr);
  gap: 28px;
  align-items: start;
}
.note-line {
  font-size: 13px;
  margin: 0 0 4px;
}
</style>
