<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { stringify } from 'yaml'
import { answered, api, type Schemas } from '@/api/client'
import ArmEditor from './ArmEditor.vue'
import ArrivalEditor from './ArrivalEditor.vue'
import TrialFile from './TrialFile.vue'
import { draftKept, draftTold } from './draft'
import LabAccounts from './LabAccounts.vue'
import StatementEditor from './StatementEditor.vue'
import { asDesign, placeOf, targetAt, type Design } from './design'
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
// other kinds than a comparison are written as their file
const compares = ['compare', 'as-needed', undefined].includes(draftKept.value?.kind as string | undefined)
const design = ref<Design | null>(draftKept.value && compares ? asDesign(draftKept.value) : null)
const file = draftKept.value && !compares ? stringify(draftKept.value) : ''
const { problem, busy: starting, run } = useWork()
// what was expected of a change is expected of no other
const changes = () => JSON.stringify((design.value?.arms ?? []).map((arm) => [arm.settings ?? {}, arm.add_indexes ?? [], arm.drop_indexes ?? []]))
const drafted = changes()
watch(changes, (now) => {
  if (now !== drafted && design.value?.expects) design.value.expects = null
})
const METRICS = ['p95', 'p99', 'p50', 'mean', 'throughput']

const where = computed(() => placeOf(design.value))
const chosen = computed(() => targets.data.value?.find((one) => one.kind === where.value.kind && one.name === where.value.name))
const places = computed(() => (targets.data.value ?? []).map((one) => ({ value: `${one.kind} ${one.name}`, text: one.place })))
function move(place: string) {
  const [kind = '', ...name] = place.split(' ')
  design.value!.target = targetAt(kind, name.join(' '), design.value!.target)
}
// those of a PostgreSQL that is made are asked of its programs, which takes some seconds
const ofMade = ref<Schemas['SettingChoice'][]>([])
const { problem: unasked, run: ask } = useWork()
watch(
  () => where.value.kind,
  async (kind) => {
    if (kind === 'postgresql' && !ofMade.value.length) await ask(async () => (ofMade.value = await answered(api.GET('/api/trials/targets/postgresql/settings'))))
  },
  { immediate: true },
)
const settings = computed(() => (where.value.kind === 'postgresql' ? ofMade.value : (chosen.value?.settings ?? [])))
const statements = computed(() => [{ value: null, text: 'all statements' }, ...(design.value?.workload.statements ?? []).map((s, i) => ({ value: i, text: s.sql.replace(/\s+/g, ' ').slice(0, 90) }))])
const labs = computed(() => (targets.data.value ?? []).filter((one) => one.changed))
const sized = computed(() => [...new Set((targets.data.value ?? []).filter((one) => ['server', 'made'].includes(one.kind)).map((one) => one.name))])
const words = ref<Schemas['DesignWords'] | null>(null)
watch(
  () => [design.value?.workload, design.value?.expects],
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
const told = ref(draftKept.value ? draftTold.value : [])
const onServer = (server: string) =>
  run(async () => {
    const drawn = await answered(api.POST('/api/trials/on/{server}', { params: { path: { server }, query: w.asked.value } }))
    told.value = drawn.told
    design.value = asDesign(drawn.design)
  })
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
      <BButton v-for="one in labs" :key="one.name" variant="outline-secondary" class="ms-2" :data-lab="one.name" @click="onServer(one.name)">Try a change on {{ one.name }}</BButton>
      <p v-for="one in workloads.data.value ?? []" :key="one.id" class="mt-3 mb-0">
        <BButton variant="outline-secondary" :data-workload="one.id" @click="play(one.id)">Play {{ one.name }}</BButton> <span class="faded">{{ one.statements.length }} imported statements</span>
      </p>
      <p v-if="sized.length" class="mt-3 mb-0" data-test="sizes">
        Sizes that a server should have for what it does, each to be tried:
        <template v-for="(name, i) in sized" :key="name"
          >{{ i ? ', ' : '' }}<RouterLink :to="{ name: 'server-sizing', params: { server: name }, query: w.kept.value }">{{ name }}</RouterLink></template
        >
      </p>
      <ProblemLine :problem="problem" />
      <TrialFile class="mt-4" :initial="file" />
    </template>
    <form v-else @submit.prevent="start">
      <div class="grid">
        <template v-if="design.follows"
          ><span>Comes of</span><span>trial {{ design.follows }}: change one thing, and the line of trials will show what it brought</span></template
        >
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
        <div>
          <div class="line">
            <BFormSelect
              :model-value="`${where.kind} ${where.name}`"
              :options="places"
              size="sm"
              style="width: 260px"
              aria-label="Where it runs"
              data-test="where"
              @update:model-value="(place) => move(String(place))"
            />
            <span class="faded">{{ chosen?.words }}</span>
          </div>
          <LabAccounts v-if="chosen?.changed" v-model="design.target" :problem="problem" />
        </div>
        <span>Workload</span>
        <div>
          <ArrivalEditor v-model="design.workload.arrival" :wrong="wrong" />
          <details :open="chosen?.changed">
            <summary>the {{ design.workload.statements.length === 1 ? 'statement' : `${design.workload.statements.length} statements` }}</summary>
            <StatementEditor v-model="design.workload.statements" />
            <p v-for="one in told" :key="one" class="faded small-words mb-0">{{ one }}</p>
          </details>
        </div>
        <span>Arms</span>
        <div>
          <ArmEditor v-model="design.arms" :settings="settings" :indexes="words?.indexes ?? []" />
          <ProblemLine :problem="unasked" />
        </div>
        <template v-if="words?.expected"
          ><span>Expected</span><span data-test="expects">{{ words.expected }}</span></template
        >
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
