<script setup lang="ts">
import { BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

/** Two of the figures against each other: how far one follows the other, and after how long. */
const props = defineProps<{ bands: Schemas['Band'][] }>()
const WIDTH = 420
const HEIGHT = 74
const w = useWindow()
const open = ref(false)
const first = ref('')
const second = ref('')
const options = computed(() => props.bands.map((one) => ({ value: one.key, text: `${one.owner}: ${one.title}` })))
const keyOf = (chosen: string, place: number) => (props.bands.some((one) => one.key === chosen) ? chosen : (props.bands[place]?.key ?? ''))
const one = computed({ get: () => keyOf(first.value, 0), set: (value) => (first.value = value) })
const other = computed({ get: () => keyOf(second.value, 1), set: (value) => (second.value = value) })
const answer = useAnswer(
  () => (open.value ? { focus: w.focusText.value, reference: w.referenceText.value, first: one.value, second: other.value } : null),
  (query) => api.GET('/api/strips/against', { params: { query } }),
)
const known = computed(() => answer.data.value?.correlation ?? null)
const x = (i: number) => 34 + (i / Math.max(1, (known.value?.at.length ?? 1) - 1)) * (WIDTH - 44)
const y = (r: number) => HEIGHT / 2 - (r * (HEIGHT - 16)) / 2
const minutes = (lag: number) => Math.round((lag * (answer.data.value?.step_us ?? 0)) / 6e7)
</script>

<template>
  <details class="mt-2" @toggle="open = ($event.target as HTMLDetailsElement).open">
    <summary class="faded">Two of them against each other</summary>
    <div class="form-line mt-1">
      <BFormSelect v-model="one" :options="options" size="sm" aria-label="First figure" class="pick" />
      <span class="faded">and</span>
      <BFormSelect v-model="other" :options="options" size="sm" aria-label="Second figure" class="pick" />
    </div>
    <p v-if="answer.problem.value" class="act mb-0">{{ answer.problem.value.detail }}</p>
    <template v-else-if="answer.data.value">
      <p class="mb-1 mt-1" data-test="against">{{ answer.data.value.sentence }}</p>
      <svg v-if="known" :width="WIDTH" :height="HEIGHT + 14" role="img" aria-label="Correlation by lag">
        <rect class="noise" :x="x(0)" :width="x(known.at.length - 1) - x(0)" :y="y(known.noise)" :height="y(-known.noise) - y(known.noise)" />
        <line v-for="mark in [-1, 0, 1]" :key="mark" class="rule" :x1="x(0)" :x2="x(known.at.length - 1)" :y1="y(mark)" :y2="y(mark)" />
        <text v-for="mark in [-1, 0, 1]" :key="`t${mark}`" class="small" x="28" :y="y(mark) + 3.5" text-anchor="end">{{ mark }}</text>
        <line v-for="(r, i) in known.r" :key="i" class="lag" :class="{ best: known.at[i] === known.best }" :x1="x(i)" :x2="x(i)" :y1="y(0)" :y2="y(r)" />
        <text class="small" :x="x(0)" :y="HEIGHT + 10">{{ minutes(known.at[0]!) }} min</text>
        <text class="small" :x="x((known.at.length - 1) / 2)" :y="HEIGHT + 10" text-anchor="middle">same time</text>
        <text class="small" :x="x(known.at.length - 1)" :y="HEIGHT + 10" text-anchor="end">second {{ minutes(known.at.at(-1)!) }} min later</text>
      </svg>
    </template>
  </details>
</template>

<style scoped>
.pick {
  width: 320px;
}
.noise {
  fill: var(--usual);
}
.rule {
  stroke: var(--rule-strong);
}
.lag {
  stroke: var(--faded);
}
.best {
  stroke: var(--act);
  stroke-width: 2.5;
}
.small {
  font-family: 'Figure Points', var(--bs-font-monospace);
  font-size: 10px;
  fill: var(--faded);
}
</style>
