<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answered, api, Problem, type Schemas } from '@/api/client'
import PlanSheet from './PlanSheet.vue'
import SqlText from '@/parts/SqlText.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

const w = useWindow()
const server = computed(() => String(w.route.params.server))
const answer = useAnswer(
  () => ({ server: server.value, plan_key: String(w.route.params.plan) }),
  (path) => api.GET('/api/servers/{server}/plans/{plan_key}', { params: { path } }),
)
const written = ref('')
const imagined = ref<Schemas['PlanOut'] | null>(null)
const { problem, run } = useWork()

const imagine = (text: string) =>
  run(async () => {
    const match = /^\s*([\w.]+)\s*\(([^)]+)\)\s*$/.exec(written.value)
    if (!match) throw new Problem('Not an index', 'A table and its columns such as hold_request (title_id, state) were expected.', 'add_indexes', 422)
    const index = { name: '', unique: false, table: match[1]!, columns: match[2]!.split(',').map((column) => column.trim()) }
    imagined.value = await answered(
      api.POST('/api/servers/{server}/explain', { params: { path: { server: server.value } }, body: { text, add_indexes: [index], drop_indexes: [], plan_key: String(w.route.params.plan) } }),
    )
  })
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer">
    <div class="about">
      <SqlText :sql="data.text ?? ''" />
      <p class="faded mb-0">
        Plan <code>{{ data.plan_id.slice(0, 8) }}</code> of <SubjectLink kind="server" :name="server" />, taken
        {{ data.taken_us ? `${day(data.taken_us)} ${clock(data.taken_us)}` : 'at an unknown time' }}.
        <SubjectLink v-if="data.statement" kind="statement" :name="data.statement" :server="server">The statement</SubjectLink>
      </p>
    </div>
    <PlanSheet :plan="data" />
    <h2 class="part mt-3"><span>Try an index that does not exist yet</span></h2>
    <form class="what-if" @submit.prevent="imagine(data.text ?? '')">
      <BFormInput v-model="written" size="sm" placeholder="hold_request (title_id, state)" aria-label="Index to imagine" />
      <BButton size="sm" variant="outline-secondary" type="submit">Ask {{ data.server }}</BButton>
      <span class="faded">Nothing is built; the server only plans with it.</span>
      <ProblemLine :problem="problem" />
    </form>
    <template v-if="imagined">
      <p class="mt-2">
        <strong>{{ imagined.comparison }}</strong>
        {{ imagined.sentence }}
      </p>
      <PlanSheet v-if="imagined.plan_id !== data.plan_id" :plan="imagined" />
    </template>
  </AnswerSheet>
</template>

<style scoped>
.about {
  display: grid;
  grid-template-columns: 1fr 330px;
  gap: 20px;
  margin-bottom: 10px;
  font-size: 13px;
}
.what-if {
  display: flex;
  gap: 12px;
  align-items: center;
  font-size: 13px;
}
.what-if input {
  width: 330px;
}
</style>
