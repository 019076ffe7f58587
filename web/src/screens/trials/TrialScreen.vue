<script setup lang="ts">
import { BButton, BProgress } from 'bootstrap-vue-next'
import { computed, onUnmounted, ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import { asDesign, asResult } from './design'
import FamilyBars from './FamilyBars.vue'
import RatioTable from './RatioTable.vue'
import RunDots from './RunDots.vue'
import RunTable from './RunTable.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

const w = useWindow()
const id = Number(w.route.params.id)
const trial = ref<Schemas['TrialOut'] | null>(null)
const { problem, run } = useWork()
let stream: EventSource | undefined

const load = () =>
  run(async () => {
    trial.value = await answered(api.GET('/api/trials/{trial_id}', { params: { path: { trial_id: id } } }))
    stream = new EventSource(`/api/trials/${id}/events`)
    stream.onmessage = (event) => {
      trial.value = JSON.parse(event.data)
      if (!running.value) stream?.close()
    }
    stream.onerror = () => stream?.close()
  })
const stop = () => run(() => answered(api.POST('/api/trials/{trial_id}/stop', { params: { path: { trial_id: id } } })))
onUnmounted(() => stream?.close())

const running = computed(() => ['waiting', 'running'].includes(trial.value?.state ?? ''))
const design = computed(() => asDesign(trial.value?.design))
const result = computed(() => asResult(trial.value?.result ?? null))
const candidates = computed(() => result.value?.candidates ?? [])
const arms = computed(() => design.value.arms.map((arm) => arm.name))
const intervals = computed(() =>
  Object.fromEntries(
    (result.value?.arms ?? []).flatMap((arm) => {
      const interval = arm.goal[design.value.goal.metric]
      return interval ? [[arm.arm, interval]] : []
    }),
  ),
)
/** What all arms had alike in a line, and what each had otherwise. */
const inForce = computed(() => {
  const told = (result.value?.arms ?? []).filter((arm) => Object.keys(arm.settings_in_force ?? {}).length)
  if (!told.length) return []
  const names = Object.keys(told[0]!.settings_in_force!)
  const alike = names.filter((name) => told.every((arm) => arm.settings_in_force?.[name] === told[0]!.settings_in_force![name]))
  const others = names.filter((name) => !alike.includes(name))
  return [
    ...told.filter(() => others.length).map((arm) => `${arm.arm}: ${others.map((name) => `${name} ${arm.settings_in_force?.[name]}`).join(', ')}`),
    `all: ${alike.map((name) => `${name} ${told[0]!.settings_in_force![name]}`).join(', ')}`,
  ]
})
const goalStatement = computed(() => {
  const number = design.value.goal.statement
  return number === null || number === undefined ? null : (design.value.workload.statements[number]?.sql.replace(/\s+/g, ' ') ?? null)
})
load()
</script>

<template>
  <div class="sheet">
    <ProblemLine :problem="problem" />
    <template v-if="trial">
      <div class="question">
        <p class="lead-sentence mb-1">{{ design.question || trial.title }}</p>
        <p class="mb-2">
          Goal: <strong>{{ trial.words.goal }}</strong><template v-if="goalStatement">
            of <code :title="goalStatement">{{ goalStatement.slice(0, 84) }}…</code></template
          >
        </p>
      </div>
      <div v-if="running" class="running">
        <BProgress :value="trial.done_share * 100" :max="100" height="10px" class="flex-grow-1" :aria-label="`${Math.round(trial.done_share * 100)}% done`" />
        <span class="figure">{{ Math.round(trial.done_share * 100) }}%</span>
        <span class="faded">{{ trial.runs.length }} of {{ arms.length * design.run.blocks }} runs {{ trial.detail }}</span>
        <BButton size="sm" variant="outline-secondary" data-test="stop" @click="stop">Stop</BButton>
      </div>
      <p v-else-if="trial.state !== 'finished'" class="act">{{ trial.state }}: {{ trial.detail }}</p>
      <p v-if="result?.kind && result.kind !== 'compare'" class="verdict" data-test="verdict"><template v-if="running">So far: </template>{{ result.sentence }}</p>
      <p v-for="candidate in result?.kind && result.kind !== 'compare' ? [] : candidates" :key="candidate.arm" class="verdict" data-test="verdict">
        <template v-if="running">So far: </template>{{ candidate.sentence }}
      </p>
      <RunDots v-if="trial.runs.length" :arms="arms" :runs="trial.runs" of="goal" :metric="design.goal.metric" :intervals="intervals" :goal="trial.words.goal_value" />
      <p v-for="caution in result?.cautions ?? []" :key="caution" class="act">{{ caution }}.</p>
      <div v-if="candidates.length" class="cols two">
        <div>
          <RatioTable v-for="candidate in candidates" :key="candidate.arm" :candidate="candidate" />
          <RunTable :runs="trial.runs" />
        </div>
        <div class="held">
          <FamilyBars :arms="result?.arms ?? []" :totals="trial.active_sessions" />
          <h2 class="part mt-2"><span>What differed</span></h2>
          <p v-for="(arm, i) in design.arms" :key="arm.name" class="mb-1">
            <strong>{{ arm.name }}</strong>: {{ trial.words.changes[i] }}
          </p>
          <template v-if="inForce.length">
            <h2 class="part mt-2"><span>Settings in force, as the server tells them</span></h2>
            <p v-for="one in inForce" :key="one" class="mb-1 small-words">{{ one }}</p>
          </template>
          <h2 class="part mt-2"><span>What was held equal</span></h2>
          <p class="mb-1">{{ trial.words.held }}</p>
        </div>
      </div>
    </template>
  </div>
</template>

<style scoped>
.running {
  display: flex;
  gap: 14px;
  align-items: center;
  margin-bottom: 8px;
}
.running .flex-grow-1 {
  background: var(--usual);
}
.verdict {
  font-size: 16px;
  font-weight: 600;
  margin-bottom: 6px;
}
.two {
  grid-template-columns: minmax(0, 1.6fr) minmax(0, 1fr);
}
.held {
  font-size: 13px;
}
</style>
