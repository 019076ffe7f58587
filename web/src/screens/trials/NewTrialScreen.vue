<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { stringify } from 'yaml'
import { answered, api, type Schemas } from '@/api/client'
import ArmEditor from './ArmEditor.vue'
import { draftKept } from './draft'
import { asDesign, placeOf, type Design } from './design'
import { useAnswer } from '@/state/fetching'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

const w = useWindow()
const targets = useAnswer(
  () => 'targets',
  () => api.GET('/api/trials/targets'),
)
const workloads = useAnswer(
  () => 'workloads',
  () => api.GET('/api/workloads'),
)
const design = ref<Design | null>(draftKept.value && asDesign(draftKept.value))
const { problem, busy: starting, run } = useWork()
const METRICS = ['p95', 'p99', 'p50', 'mean', 'throughput']

const where = computed(() => placeOf(design.value))
const chosen = computed(() => targets.data.value?.find((one) => one.kind === where.value.kind && one.name === where.value.name))
const statements = computed(() => [{ value: null, text: 'all statements' }, ...(design.value?.workload.statements ?? []).map((s, i) => ({ value: i, text: s.sql.replace(/\s+/g, ' ').slice(0, 90) }))])
const words = ref<Schemas['DesignWords'] | null>(null)
watch(
  () => design.value?.workload,
  async () => (words.value = design.value && (await answered(api.POST('/api/trials/words', { body: { ...design.value } })).catch(() => null))),
  { immediate: true },
)
const goalText = computed({
  get: () => String(design.value!.goal.at_most ?? design.value!.goal.at_least ?? ''),
  set: (value) => {
    const goal = design.value!.goal
    const { metric, statement } = goal
    design.value!.goal = metric === 'throughput' ? { metric, statement, at_least: value } : { metric, statement, at_most: value }
  },
})
const metric = computed({
  get: () => design.value!.goal.metric,
  set: (value) => {
    const statement = design.value!.goal.statement
    design.value!.goal = value === 'throughput' ? { metric: value, statement, at_least: '500 /s' } : { metric: value, statement, at_most: '50 ms' }
  },
})
const wrong = (field: string) => (problem.value?.field.startsWith(field) ? false : null)

const sample = (name: string) => run(async () => (design.value = asDesign(await answered(api.GET('/api/trials/samples/{sample}', { params: { path: { sample: name } } })))))
const play = (id: number) => run(async () => (design.value = asDesign(await answered(api.GET('/api/workloads/{workload_id}/design', { params: { path: { workload_id: id } } })))))
const start = () =>
  run(async () => {
    const made = await answered(api.POST('/api/trials', { body: { ...design.value } }))
    draftKept.value = null
    await w.router.push({ name: 'trial', params: { id: made.id }, query: w.kept.value })
  })
</script>

<template>
  <div class="sheet">
    <p class="lead-sentence">{{ design ? 'State the goal first, change one thing, then start.' : 'What should be tried?' }}</p>
    <template v-if="!design">
      <p>Open a finding of a statement and choose “Try it” to take its remedy to a lab server with the recorded load. Or:</p>
      <BButton variant="outline-secondary" data-test="sample" @click="sample('library')">Compare two settings of a real SQLite file</BButton>
      <BButton variant="outline-secondary" class="ms-2" data-test="sample-postgresql" @click="sample('library-postgresql')">Compare an index on a PostgreSQL that is made for it</BButton>
      <p v-for="one in workloads.data.value ?? []" :key="one.id" class="mt-3 mb-0">
        <BButton variant="outline-secondary" :data-workload="one.id" @click="play(one.id)">Play {{ one.name }}</BButton> <span class="faded">{{ one.statements.length }} imported statements</span>
      </p>
      <ProblemLine :problem="problem" />
    </template>
    <form v-else @submit.prevent="start">
      <div class="grid">
        <label for="title">Title</label><BFormInput id="title" v-model="design.title" size="sm" :state="wrong('title')" /> <label for="question">Question</label
        ><BFormInput id="question" v-model="design.question" size="sm" />
        <label for="metric">Goal</label>
        <div class="line">
          <BFormSelect id="metric" v-model="metric" :options="METRICS" size="sm" style="width: 120px" />
          <span>{{ metric === 'throughput' ? 'at least' : 'at most' }}</span>
          <BFormInput v-model="goalText" size="sm" style="width: 100px" :state="wrong('goal')" aria-label="Goal" data-test="goal" />
          <span>of</span>
          <BFormSelect
            :model-value="design.goal.statement ?? null"
            :options="statements"
            size="sm"
            aria-label="Of which statement"
            @update:model-value="(of) => (design!.goal.statement = of as number | null)"
          />
        </div>
        <span>Where</span>
        <span>{{ where.name }}: {{ chosen?.words }}</span>
        <span>Workload</span>
        <div>
          {{ design.workload.statements.length }} statements, {{ words?.arrival }}
          <details>
            <summary>the statements</summary>
            <p v-for="(s, i) in design.workload.statements" :key="i" class="sql mb-0">{{ i }}: {{ s.sql }}</p>
          </details>
        </div>
        <span>Arms</span>
        <ArmEditor v-model="design.arms" :settings="chosen?.settings ?? []" :indexes="words?.indexes ?? []" />
        <label for="seconds">Runs</label>
        <div class="line">
          <BFormInput id="seconds" v-model="design.run.seconds" size="sm" style="width: 80px" :state="wrong('run.seconds')" />
          <span>each, in</span>
          <BFormInput v-model.number="design.run.blocks" type="number" min="2" max="50" size="sm" style="width: 70px" aria-label="Blocks" :state="wrong('run.blocks')" />
          <span>blocks: {{ design.arms.length * design.run.blocks }} runs, interleaved, the first seconds of each left out by a rule</span>
        </div>
      </div>
      <ProblemLine :problem="problem" />
      <div class="mt-3 line">
        <BButton type="submit" variant="primary" :disabled="starting" data-test="start">{{ starting ? 'Checking' : 'Start the trial' }}</BButton>
        <BButton variant="link" size="sm" @click="design = null">Start from something else</BButton>
      </div>
      <details class="mt-3">
        <summary>the same as a file, for <code>hardy-gauge trial FILE.yaml</code></summary>
        <pre class="yaml">{{ stringify(design) }}</pre>
      </details>
    </form>
  </div>
</template>

<style scoped>
.grid {
  display: grid;
  grid-template-columns: 90px minmax(0, 1fr);
  gap: 9px 14px;
  align-items: baseline;
  max-width: 1000px;
  font-size: 13px;
}
.grid > label,
.grid > span:nth-child(odd) {
  color: var(--faded);
  font-weight: 600;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  white-space: nowrap;
}
summary {
  color: var(--petrol);
  font-size: 12.5px;
}
.yaml {
  background: var(--ground);
  border: 1px solid var(--rule);
  padding: 8px;
  max-height: 300px;
  overflow: auto;
}
</style>
