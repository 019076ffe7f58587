<script setup lang="ts">
import { api, type Schemas } from '@/api/client'
import SetupTabs from './SetupTabs.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'

const answer = useAnswer(
  () => 'own-health',
  () => api.GET('/api/own-health'),
  () => true,
)
const CHECKS: Column<Schemas['Check']>[] = [
  { key: 'name', title: 'what', value: (one) => one.name },
  { key: 'state', title: 'state', value: (one) => one.state },
  { key: 'words', title: 'in words', value: (one) => one.words },
]
const FIGURES: Column<Schemas['OwnFigure']>[] = [
  { key: 'words', title: 'figure', value: (one) => one.words },
  { key: 'value', title: 'now', value: (one) => one.value },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.readiness.sentence }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <div class="cols two">
        <section>
          <h2 class="part"><span>What is looked at</span></h2>
          <DataTable :rows="data.readiness.checks" :columns="CHECKS" :row-key="(one) => one.name">
            <template #state="{ row }"
              ><b :class="{ act: row.state === 'wrong' || row.state === 'doubtful', faded: row.state === 'not used' }">{{ row.state }}</b></template
            >
          </DataTable>
          <p class="faded small mt-2">
            <code>/api/health</code> says that the application answers, <code>/api/ready</code> whether it does its work (503 when it does not), <code>/metrics</code> has the figures as OpenMetrics
            for a program with a token. Version {{ data.version }}.
          </p>
        </section>
        <section>
          <h2 class="part"><span>What it counts of its own work</span></h2>
          <DataTable :rows="data.figures" :columns="FIGURES" :row-key="(one) => one.name">
            <template #value="{ row }"><FigureText :value="row.value" :unit="row.unit" /></template>
          </DataTable>
        </section>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.two {
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  align-items: start;
}
</style>
