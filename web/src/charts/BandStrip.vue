<script setup lang="ts">
import { computed, useId } from 'vue'
import { bandPath, stepLine } from './paths'
import { timeTicks, valueTicks } from './scale'
import { clock, day, said, text } from '@/state/units'
import { DAY } from '@/state/span'

/** One figure over time on its own engraved scale: its line or bars, the usual range behind, hairlines where something changed. */
export interface Mark {
  at_us: number
  title: string
}
const props = withDefaults(
  defineProps<{
    from: number
    to: number
    width: number
    height?: number
    title: string
    unit: string
    at: number[]
    step: number
    values: (number | null)[]
    low?: (number | null)[]
    high?: (number | null)[]
    bars?: boolean
    marks?: Mark[]
    findings?: Mark[]
    cursor?: number | null
    axis?: boolean
  }>(),
  { height: 84, low: () => [], high: () => [], marks: () => [], findings: () => [], cursor: null },
)
const emit = defineEmits<{ cursor: [number | null] }>()
const LEFT = 62
const TOP = 18
const clip = `band-${useId()}`
const bottom = computed(() => props.height - (props.axis ? 16 : 5))
const perPixel = computed(() => (props.to - props.from) / Math.max(1, props.width - LEFT))
const x = (us: number) => LEFT + (us - props.from) / perPixel.value
const known = (values: (number | null)[]) => values.filter((one): one is number => one !== null)
const top = computed(() => Math.max(...known(props.values), ...known(props.high), 0) * 1.06 || 1)
const y = (value: number) => bottom.value - (Math.max(0, value) / top.value) * (bottom.value - TOP)
const line = computed(() => stepLine(props.at, props.values, props.step, x, y))
const band = computed(() => bandPath(props.at, props.low, props.high, x, y))
const ticks = computed(() => timeTicks(props.from, props.to, 12))
const label = (us: number) => (us % DAY === 0 ? day(us) : clock(us, props.to - props.from < 6e8))
const under = computed(() => {
  const cursor = props.cursor
  if (cursor === null || cursor === undefined) return null
  const i = props.at.findIndex((t) => t <= cursor && cursor < t + props.step)
  return i < 0 ? null : (props.values[i] ?? null)
})
const move = (event: PointerEvent) => {
  const px = event.clientX - (event.currentTarget as Element).getBoundingClientRect().left
  emit('cursor', px < LEFT ? null : props.from + (px - LEFT) * perPixel.value)
}
</script>

<template>
  <svg :width="width" :height="height" role="img" :aria-label="`${title}, scale to ${text(said(top, unit))}`" @pointermove="move" @pointerleave="emit('cursor', null)">
    <rect class="paper" :x="LEFT" :y="TOP - 3" :width="Math.max(0, width - LEFT)" :height="bottom - TOP + 3" />
    <g v-for="value in valueTicks(top)" :key="value">
      <line class="rule" :x1="LEFT" :x2="width" :y1="y(value)" :y2="y(value)" />
      <text class="small" :x="LEFT - 4" :y="y(value) + (value === 0 ? 1 : 3.5)" text-anchor="end">{{ text(said(value, unit)) }}</text>
    </g>
    <clipPath :id="clip"><rect :x="LEFT" y="0" :width="Math.max(0, width - LEFT)" :height="height" /></clipPath>
    <g :clip-path="`url(#${clip})`">
      <path class="band" :d="band" />
      <template v-if="bars">
        <template v-for="(t, i) in at" :key="t">
          <rect v-if="values[i]" class="bar" :x="x(t)" :y="y(values[i]!)" :width="Math.max(0.6, step / perPixel - 0.4)" :height="bottom - y(values[i]!)" />
        </template>
      </template>
      <path v-else class="line" :d="line" />
      <g v-for="mark in marks" :key="`${mark.at_us}${mark.title}`">
        <line class="change" :x1="x(mark.at_us)" :x2="x(mark.at_us)" :y1="TOP - 3" :y2="bottom">
          <title>{{ clock(mark.at_us, true) }} {{ mark.title }}</title>
        </line>
      </g>
      <path v-for="mark in findings" :key="`f${mark.at_us}${mark.title}`" class="finding" :d="`M${x(mark.at_us) - 5},${bottom}h10l-5,-8z`">
        <title>{{ clock(mark.at_us) }} {{ mark.title }}</title>
      </path>
    </g>
    <template v-if="axis">
      <g v-for="t in ticks" :key="t">
        <line class="tick" :x1="x(t)" :x2="x(t)" :y1="bottom" :y2="bottom + 3" />
        <text v-if="x(t) > LEFT + 12 && x(t) < width - 14" class="small" :x="x(t)" :y="height - 3" text-anchor="middle">{{ label(t) }}</text>
      </g>
    </template>
    <line v-if="cursor !== null" class="cursor" :x1="x(cursor)" :x2="x(cursor)" :y1="TOP - 3" :y2="bottom" />
    <text class="title" :x="LEFT" y="11">{{ title }}</text>
    <text v-if="under !== null" class="value" :x="width - 2" y="11" text-anchor="end">{{ clock(cursor!, true) }} {{ text(said(under, unit)) }}</text>
    <slot :x="x" :bottom="bottom" />
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
.paper {
  fill: var(--sheet);
  stroke: var(--rule);
}
.rule {
  stroke: var(--rule);
}
.band {
  fill: var(--usual);
}
.line {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
}
.bar {
  fill: var(--ink);
}
.change {
  stroke: var(--petrol);
  stroke-dasharray: 2 2;
}
.finding {
  fill: var(--act);
}
.tick {
  stroke: var(--rule-strong);
}
.cursor {
  stroke: var(--brass);
}
.small {
  font-family: 'Figure Points', var(--bs-font-monospace);
  font-size: 10px;
  fill: var(--faded);
}
.title {
  font-size: 12px;
  font-weight: 600;
  fill: var(--faded);
}
.value {
  font-family: 'Figure Points', var(--bs-font-monospace);
  font-size: 11px;
  fill: var(--ink);
}
</style>
