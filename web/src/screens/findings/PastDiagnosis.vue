<script setup lang="ts">
import { BButton, BProgress } from 'bootstrap-vue-next'
import { computed, onScopeDispose, ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import { may } from '@/state/me'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

/** A span of the past, diagnosed on demand with progress; offered while the focus does not follow the present. */
const emit = defineEmits<{ done: [] }>()
const EACH_MS = 1000
const w = useWindow()
const { problem, busy, run } = useWork()
const latest = ref<Schemas['PastDiagnosis'] | null>(null)
const running = computed(() => latest.value?.state === 'running')
const ofFocus = computed(() => latest.value?.from_us === w.focus.value.from && latest.value?.until_us === w.focus.value.to)
const span = computed(() =>
  latest.value
    ? `${day(latest.value.from_us)} ${clock(latest.value.from_us)} to ${day(latest.value.from_us) === day(latest.value.until_us) ? '' : `${day(latest.value.until_us)} `}${clock(latest.value.until_us)}`
    : '',
)

async function look() {
  const before = latest.value
  latest.value = (await answered(api.GET('/api/findings/past'))).latest
  if (before && (before.found !== latest.value?.found || (before.state === 'running' && !running.value))) emit('done')
}
const start = () =>
  run(async () => {
    const { scope, focus } = w.asked.value
    latest.value = (await answered(api.POST('/api/findings/past', { params: { query: { scope, focus } } }))).latest
  })
const stop = () => run(() => answered(api.DELETE('/api/findings/past')).then(look))
const timer = setInterval(() => running.value && !busy.value && run(look), EACH_MS)
onScopeDispose(() => clearInterval(timer))
run(look)
</script>

<template>
  <div v-if="running || !w.following.value" class="past" data-test="past">
    <template v-if="running && latest">
      <BProgress :value="latest.done" :max="latest.looks" height="10px" class="bar" :aria-label="`${latest.done} of ${latest.looks} hours looked at`" />
      <span
        ><template v-if="!ofFocus">{{ span }}: </template>{{ latest.words }}</span
      >
      <BButton v-if="may('engineer')" size="sm" variant="outline-secondary" data-test="stop-past" @click="stop">Stop</BButton>
    </template>
    <template v-else>
      <BButton v-if="may('engineer')" size="sm" variant="outline-secondary" :disabled="busy" data-test="diagnose-past" title="Look at each hour of the focus with every rule" @click="start"
        >Diagnose this time</BButton
      >
      <span v-if="latest && ofFocus" class="faded" data-test="past-words">{{ latest.words }}</span>
    </template>
    <ProblemLine :problem="problem" />
  </div>
</template>

<style scoped>
.past {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
  margin-bottom: 8px;
  font-size: 13px;
}
.bar {
  flex: 0 1 160px;
}
</style>
