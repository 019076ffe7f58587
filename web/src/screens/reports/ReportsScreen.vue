<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import StateNote from '@/parts/StateNote.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

const w = useWindow()
const answer = useAnswer<Schemas['ReportLine'][]>(() => 'reports')
const open = computed(() => Number(w.route.query.open ?? 0))
const line = computed(() => answer.data.value?.find((one) => one.id === open.value))
</script>

<template>
  <div class="sheet fill">
    <StateNote :problem="answer.problem.value" :working="answer.working.value" :has="!!answer.data.value" @again="answer.ask" />
    <template v-if="answer.data.value">
      <p class="lead-sentence">{{ answer.data.value.length ? `${answer.data.value.length} report${answer.data.value.length > 1 ? 's' : ''} on file; each stays as it was when it was saved.` : 'No report yet. Open a server and save what you see.' }}</p>
      <div class="cols two">
        <table v-if="answer.data.value.length" class="ruled">
          <thead><tr><th>saved</th><th>report</th><th></th></tr></thead>
          <tbody>
            <tr v-for="report in answer.data.value" :key="report.id" class="link" :class="{ chosen: report.id === open }" @click="w.change({ open: String(report.id) })">
              <td class="figure">{{ day(report.created_us) }} {{ clock(report.created_us) }}</td>
              <td><button type="button" class="plain" @click.stop="w.change({ open: String(report.id) })">{{ report.title }}</button></td>
              <td><a :href="`/api/reports/${report.id}/html?download=true`" data-test="download" @click.stop>HTML</a></td>
            </tr>
          </tbody>
        </table>
        <iframe v-if="line" :src="`/api/reports/${line.id}/html`" :title="line.title" sandbox="" data-test="report"></iframe>
      </div>
    </template>
  </div>
</template>

<style scoped>
.fill { height: 100%; display: flex; flex-direction: column; }
.two { grid-template-columns: minmax(0, 1fr) minmax(0, 2fr); flex: 1; min-height: 0; align-items: start; }
iframe { border: 1px solid var(--rule); width: 100%; height: 100%; background: #f4f1ea; }
.plain { border: 0; background: none; padding: 0; color: var(--ink); text-align: left; }
</style>
