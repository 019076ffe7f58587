<script setup lang="ts">
import { BButton, BProgress } from 'bootstrap-vue-next'
import { computed, onUnmounted, ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import { asDesign, asResult } from './design'
import ArmsInDetail from './ArmsInDetail.vue'
import ArmPlans from './ArmPlans.vue'
import FamilyBars from './FamilyBars.vue'
import KindCurve from './KindCurve.vue'
import MeetingPicture from './MeetingPicture.vue'
import KindTable from './KindTable.vue'
import RatioTable from './RatioTable.vue'
import RunDots from './RunDots.vue'
import RunSoundness from './RunSoundness.vue'
import WayBack from './WayBack.vue'
import RunTable from './RunTable.vue'
import LiveRun from './LiveRun.vue'
import LineOfTrials from './LineOfTrials.vue'
import { draftKept, draftTold } from './draft'
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
const again = () =>
  run(async () => {
    draftKept.value = await answered(api.GET('/api/trials/{trial_id}/again', { params: { path: { trial_id: id } } }))
    draftTold.value = []
    await w.router.push({ name: 'new-trial', query: w.kept.value })
  })
const stop = () => run(() => answered(api.POST('/api/trials/{trial_id}/stop', { params: { path: { trial_id: id } } })))
onUnmounted(() => stream?.close())

const running = computed(() => ['waiting', 'running'].includes(trial.value?.state ?? ''))
const design = computed(() => asDesign(trial.value?.design))
const result = computed(() => asResult(trial.value?.result ?? null))
const candidates = computed(() => result.value?.candidates ?? [])
const arms = computed(() => result.value?.arms.map((arm) => arm.arm) ?? design.value.arms.map((arm) => arm.name))
const intervals = computed(() =>
  Object.fromEntries(
    (result.value?.arms ?? []).flatMap((arm) => {
      const interval = arm.goal[design.value.goal.metric]
      return interval ? [[arm.arm, interval]] : []
    }),
  ),
)
const goalStatement = computed(() => {
  const number = design.value.goal.statement
  return number === null || number === undefined ? null : (design.value.workload.statements[number]?.sql.replace(/\s+/g, ' ') ?? null)
})
/** What the server itself shows meanwhile, host included, where it is one that capture watches. */
const meanwhile = computed(() => {
  const server = design.value.target.server
  if (!running.value || !server || !trial.value?.way_back.length) return null
  const band = ['calls_per_s', 'response_s', 'active_sessions', 'processor_busy', 'pages_read_per_s', 'log_bytes_per_s'].map((one) => `figure:${server}:${one}`)
  return { name: 'strips', query: { scope: server, focus: 'PT15M', band } }
})
load()
</script>

<template>
  <div class="sheet">
    <ProblemLine :problem="problem" />
    <template v-if="trial">
      <div class="question">
        <BButton size="sm" variant="outline-secondary" class="float-end ms-3" data-test="again" @click="again">Again, with something changed</BButton>
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
        <span class="faded">{{ trial.runs.length }} of {{ trial.words.runs }} runs {{ trial.detail }}</span>
        <BButton size="sm" variant="outline-secondary" data-test="stop" @click="stop">Stop</BButton>
      </div>
      <LiveRun v-if="running" :live="trial.live" />
      <p v-if="meanwhile" class="mb-1">
        <RouterLink :to="meanwhile">Figures of {{ design.target.server }} meanwhile</RouterLink>
      </p>
      <p v-if="!running && trial.state !== 'finished'" class="act">{{ trial.state }}: {{ trial.detail }}</p>
      <p v-if="result?.kind && result.kind !== 'compare'" class="verdict" data-test="verdict"><template v-if="running">So far: </template>{{ result.sentence }}</p>
      <p v-for="candidate in result?.kind && result.kind !== 'compare' ? [] : candidates" :key="candidate.arm" class="verdict" data-test="verdict">
        <template v-if="running">So far: </template>{{ candidate.sentence }}
      </p>
      <p v-if="trial.expected" class="mb-2" data-test="expected">
        <template v-if="running">So far: </template>{{ trial.expected.sentence }}
        <RouterLink :to="{ name: 'expectations', query: w.kept.value }">All expectations</RouterLink>
      </p>
      <KindCurve v-if="trial.curve" :curve="trial.curve" />
      <MeetingPicture v-if="trial.meeting" :meeting="trial.meeting" />
      <KindTable v-if="trial.table" :table="trial.table" />
      <RunDots v-if="trial.runs.length" :arms="arms" :runs="trial.runs" of="goal" :metric="design.goal.metric" :intervals="intervals" :goal="trial.words.goal_value" />
      <p v-for="caution in result?.cautions ?? []" :key="caution" class="act">{{ caution }}.</p>
      <p v-for="note in result?.notes ?? []" :key="note" class="faded mb-1">{{ note }}</p>
      <WayBack v-for="(way, i) in trial.way_back" :key="i" :way="way" />
      <RunSoundness v-if="result?.checks?.length || result?.mix?.length" :checks="result.checks ?? []" :mix="result.mix ?? []" />
      <div v-if="candidates.length" class="cols two">
        <div>
          <RatioTable v-for="candidate in candidates" :key="candidate.arm" :candidate="candidate" />
        </div>
        <div class="held">
          <FamilyBars :arms="result?.arms ?? []" :totals="trial.active_sessions" />
          <h2 class="part mt-2"><span>What differed</span></h2>
          <p v-for="(arm, i) in design.arms.length > 1 ? design.arms : []" :key="arm.name" class="mb-1">
            <strong>{{ arm.name }}</strong>: {{ trial.words.changes[i] }}
          </p>
          <ArmPlans v-if="result?.plans" :plans="result.plans" :trial="trial.id" :statements="design.workload.statements" />
          <template v-if="trial.settings_told.length">
            <h2 class="part mt-2"><span>Settings in force, as the server tells them</span></h2>
            <p v-for="one in trial.settings_told" :key="one" class="mb-1 small-words">{{ one }}</p>
          </template>
          <h2 class="part mt-2"><span>What was held equal</span></h2>
          <p class="mb-1">{{ trial.words.held }}</p>
        </div>
      </div>
      <ArmsInDetail v-if="trial.in_detail" :detail="trial.in_detail" />
      <RunTable v-if="trial.runs.length" :runs="trial.runs" :trial="trial.id" :kept="trial.executions_kept" />
      <LineOfTrials v-if="trial.line.length" :line="trial.line" :trial="trial.id" />
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
