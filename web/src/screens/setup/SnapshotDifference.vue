<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import CellBar from '@/parts/CellBar.vue'
import FigureText from '@/parts/FigureText.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

/** What was done between two snapshots of one server. */
const props = defineProps<{ first: number; second: number }>()
const w = useWindow()
const { data, problem } = useAnswer<Schemas['Difference']>(() => `snapshots/difference?first=${props.first}&second=${props.second}`)
const csv = computed(() => `/api/snapshots/difference/csv?first=${props.first}&second=${props.second}`)
const rate = (one: Schemas['FigureDone']) => (one.unit === 's' ? '' : one.unit ? `${one.unit}/s` : '/s')
const most = computed(() => Math.max(1e-9, ...(data.value?.statements ?? []).map((one) => one.time_s)))
</script>

<template>
  <p v-if="problem" class="act" role="alert">{{ problem.title }}. {{ problem.detail }}</p>
  <section v-else-if="data" class="mb-4" data-test="difference">
    <h2 class="part"><span>{{ data.sentence }}</span></h2>
    <p v-for="one in data.notes" :key="one" class="note-line">{{ one }}</p>
    <div class="parts">
      <div>
        <table class="ruled">
          <thead><tr><th>statement</th><th>user</th><th class="num">calls</th><th class="num">time</th><th class="num">a call</th><th class="num">rows</th></tr></thead>
          <tbody>
            <tr v-for="(one, i) in data.statements.slice(0, 14)" :key="i">
              <td class="sql cut"><RouterLink :to="{ name: 'statement', params: { fingerprint: one.fingerprint }, query: { scope: data.server, ...w.kept.value } }" :title="one.text">{{ one.text }}</RouterLink></td>
              <td class="cut">{{ one.user }}</td>
              <td class="num"><FigureText :value="one.calls" unit="" /></td>
              <td class="num"><CellBar :value="one.time_s" :max="most"><FigureText :value="one.time_s" unit="s" /></CellBar></td>
              <td class="num"><FigureText :value="one.time_per_call_s" unit="s" /></td>
              <td class="num"><FigureText :value="one.rows_returned" unit="" missing="not told" /></td>
            </tr>
          </tbody>
        </table>
        <p class="faded small mt-1">{{ data.statements.length }} statements were called; <a :href="csv" download>all of them as CSV</a></p>
        <table v-if="data.settings.length" class="ruled">
          <thead><tr><th>setting</th><th>first</th><th>second</th></tr></thead>
          <tbody><tr v-for="one in data.settings" :key="one.name"><td>{{ one.name }}</td><td class="figure">{{ one.first ?? 'not told' }}</td><td class="figure">{{ one.second ?? 'not told' }}</td></tr></tbody>
        </table>
      </div>
      <table class="ruled side">
        <thead><tr><th>figure</th><th class="num">done</th><th class="num">a second</th></tr></thead>
        <tbody>
          <tr v-for="one in data.figures" :key="one.name"><td class="cut" :title="one.title">{{ one.title }}</td><td class="num"><FigureText :value="one.done" :unit="one.unit" /></td><td class="num"><FigureText :value="one.per_s" :unit="rate(one)" /></td></tr>
          <tr v-for="one in data.levels" :key="one.name"><td class="cut" :title="one.title">{{ one.title }}</td><td class="num faded" colspan="2"><FigureText :value="one.first" :unit="one.unit" missing="not told" /> → <FigureText :value="one.second" :unit="one.unit" missing="not told" /></td></tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.parts { display: grid; grid-template-columns: minmax(0, 1.9fr) minmax(0, 1fr); gap: 28px; align-items: start; }
table { table-layout: fixed; }
th.num { width: 86px; }
.side th.num { width: 118px; }
th:nth-child(2):not(.num) { width: 90px; }
.cut { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.note-line { font-size: 13px; margin: 0 0 4px; }
</style>
