<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { post, Problem, type Schemas } from '@/api/client'
import PlanSheet from './PlanSheet.vue'
import SqlText from '@/parts/SqlText.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day, duration, text } from '@/state/units'
import { useWindow } from '@/state/window'

const w = useWindow()
const answer = useAnswer<Schemas['PlanOut']>(() => `servers/${w.route.params.server}/plans/${w.route.params.plan}`)
const wanted = ref('')
const imagined = ref<Schemas['PlanOut'] | null>(null)
const problem = ref('')

async function imagine() {
  problem.value = ''
  const match = /^\s*(\w+)\s*\(([^)]+)\)\s*$/.exec(wanted.value)
  if (!match) {
    problem.value = 'Write a table and its columns, such as hold_request (title_id, state)'
    return
  }
  const index = { table: match[1], columns: match[2].split(',').map((column) => column.trim()) }
  try {
    imagined.value = await post<Schemas['PlanOut']>(`servers/${w.route.params.server}/explain`, { text: answer.data.value!.text, add_indexes: [index] })
  } catch (error) {
    problem.value = (error as Problem).detail
  }
}
</script>

<template>
  <AnswerSheet :answer="answer" v-slot="{ data }">
    <div class="about">
      <SqlText :sql="data.text ?? ''" />
      <p class="faded mb-0">Plan <code>{{ data.plan_id.slice(0, 8) }}</code> of <RouterLink :to="{ name: 'server', params: { server: data.server }, query: w.kept.value }">{{ data.server }}</RouterLink>, taken {{ day(data.taken_us!) }} {{ clock(data.taken_us!) }}. <RouterLink :to="{ name: 'statement', params: { fingerprint: data.statement }, query: { ...w.kept.value, scope: data.server } }">The statement</RouterLink></p>
    </div>
    <PlanSheet :plan="data" />
    <h2 class="part mt-3"><span>Try an index that does not exist yet</span></h2>
    <form class="what-if" @submit.prevent="imagine">
      <BFormInput v-model="wanted" size="sm" placeholder="table (column, column)" aria-label="Index to imagine" />
      <BButton size="sm" variant="outline-secondary" type="submit">Ask {{ data.server }}</BButton>
      <span class="faded">Nothing is built; the server only plans with it.</span>
      <span v-if="problem" class="act" role="alert">{{ problem }}</span>
    </form>
    <template v-if="imagined">
      <p class="mt-2"><strong>{{ imagined.plan_id === data.plan_id ? 'The plan stays the same.' : `With the index: ${text(duration(imagined.time_s ?? 0))} instead of ${text(duration(data.time_s ?? 0))}.` }}</strong> {{ imagined.sentence }}</p>
      <PlanSheet v-if="imagined.plan_id !== data.plan_id" :plan="imagined" />
    </template>
  </AnswerSheet>
</template>

<style scoped>
.about { display: grid; grid-template-columns: 1fr 330px; gap: 20px; margin-bottom: 10px; font-size: 13px; }
.what-if { display: flex; gap: 12px; align-items: center; font-size: 13px; }
.what-if input { width: 330px; }
</style>
