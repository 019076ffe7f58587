<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

const w = useWindow()
const answer = useAnswer<Schemas['ReportLine'][]>(() => 'reports')
const open = computed(() => Number(w.route.query.open ?? 0))
const line = computed(() => answer.data.value?.find((one) => one.id === open.value))
</script>

<template>
  <AnswerSheet :answer="answer" fill>
    <template #sentence="{ data }">{{ data.length ? `${data.length} report${data.length > 1 ? 's' : ''} on file; each stays as it was when it was saved.` : 'No report yet. Open a server and save what you see.' }}</template>
    <template #default="{ data }">
      <div class="cols two">
        <table v-if="data.length" class="ruled">
          <thead><tr><th>saved</th><th>report</th><th></th></tr></thead>
          <tbody>
            <tr v-for="report in data" :key="report.id" class="link" :class="{ chosen: report.id === open }" @click="w.change({ open: String(report.id) })">
              <td class="figure">{{ day(report.created_us) }} {{ clock(report.created_us) }}</td>
              <td><button type="button" class="plain" @click.stop="w.change({ open: String(report.id) })">{{ report.title }}</button></td>
              <td><a :href="`/api/reports/${report.id}/html?download=true`" data-test="download" @click.stop>HTML</a></td>
            </tr>
          </tbody>
        </table>
        <iframe v-if="line" :src="`/api/reports/${line.id}/html`" :title="line.title" sandbox="" data-test="report"></iframe>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.two { grid-template-columns: minmax(0, 1fr) minmax(0, 2fr); flex: 1; min-height: 0; align-items: start; }
iframe { border: 1px solid var(--rule); width: 100%; height: 100%; background: #f4f1ea; }
.plain { border: 0; background: none; padding: 0; color: var(--ink); text-align: left; }
</style>
