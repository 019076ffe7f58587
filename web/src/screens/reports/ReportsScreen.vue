<script setup lang="ts">
import { computed } from 'vue'
import { api, type Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

const w = useWindow()
const answer = useAnswer(
  () => 'reports',
  () => api.GET('/api/reports'),
)
const COLUMNS: Column<Schemas['ReportLine']>[] = [
  { key: 'saved', title: 'saved', value: (report) => report.created_us },
  { key: 'title', title: 'report', value: (report) => report.title },
  { key: 'file', title: '' },
]
const open = computed(() => Number(w.route.query.open ?? 0))
const line = computed(() => answer.data.value?.reports.find((one) => one.id === open.value))
</script>

<template>
  <AnswerSheet :answer="answer" fill>
    <template #sentence="{ data }">{{ data.sentence }}</template>
    <template #default="{ data }">
      <div class="cols two">
        <div v-if="data.reports.length">
          <DataTable :rows="data.reports" :columns="COLUMNS" :row-key="(report) => report.id" :chosen="open" opens @open="(report) => w.change({ open: String(report.id) })">
            <template #saved="{ row }"
              ><span class="figure">{{ day(row.created_us) }} {{ clock(row.created_us) }}</span></template
            >
            <template #file="{ row }"><a :href="`/api/reports/${row.id}/html?download=true`" data-test="download" @click.stop>HTML</a></template>
          </DataTable>
        </div>
        <iframe v-if="line" :src="`/api/reports/${line.id}/html`" :title="line.title" sandbox="" data-test="report"></iframe>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.two {
  grid-template-columns: minmax(0, 1fr) minmax(0, 2fr);
  flex: 1;
  min-height: 0;
  align-items: start;
}
iframe {
  border: 1px solid var(--rule);
  width: 100%;
  height: 100%;
  background: #f4f1ea;
}
</style>
