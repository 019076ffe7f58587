<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import type { Interval } from './design'
import { said, text } from '@/state/units'

/** Arms as rows: every run a dot on one shared axis, mean and interval as a bracket, the goal as a rule. */
const props = defineProps<{ arms: string[]; runs: Schemas['RunOut'][]; of: 'goal' | 'all'; metric: string; intervals: Record<string, Interval>; goal: number | null }>()
const W = 1000
/** Letters of an arm's name that have room before the chart. */
const WORDS = 20
const LEFT = 150
const ROW = 52
const unit = computed(() => (props.metric === 'throughput' ? '/s' : 's'))
const values = (arm: string) =>
  props.runs
    .filter((run) => run.arm === arm)
    .map((run) => Number(run[props.of]?.[props.metric] ?? NaN))
    .filter(Number.isFinite)
const all = computed(() =>
  [
    ...props.arms.flatMap(values),
    ...Object.values(props.intervals)
      .flatMap((i) => [i.low, i.high])
      .filter((v) => Number.isFinite(v) && v > 0),
    ...(props.goal ? [props.goal] : []),
  ].filter((v) => v > 0),
)
const logarithmic = computed(() => Math.max(...all.value) / Math.min(...all.value) > 20)
const domain = computed<[number, number]>(() => {
  if (!all.value.length) return [0, 1]
  const [low, high] = [Math.min(...all.value), Math.max(...all.value)]
  return logarithmic.value ? [low / 1.6, high * 1.6] : [0, high * 1.1]
})
function x(value: number) {
  const [low, high] = domain.value
  const part = logarithmic.value ? Math.log(Math.max(value, low) / low) / Math.log(high / low) : value / high
  return LEFT + part * (W - LEFT - 30)
}
const ticks = computed(() => {
  const [low, high] = domain.value
  if (!logarithmic.value) {
    const size = 10 ** Math.floor(Math.log10(high))
    const step = [0.1, 0.2, 0.5, 1, 2].map((m) => m * size).find((s) => high / s <= 7) ?? 5 * size
    return Array.from({ length: Math.floor(high / step) + 1 }, (_, i) => i * step)
  }
  return [-7, -6, -5, -4, -3, -2, -1, 0, 1, 2, 3, 4, 5, 6].flatMap((e) => [1, 3].map((m) => m * 10 ** e)).filter((v) => v >= low && v <= high)
})
const height = computed(() => props.arms.length * ROW + 34)
const say = (value: number) => text(said(value, unit.value))
</script>

<template>
  <svg :viewBox="`0 0 ${W} ${height}`" role="img" :aria-label="`${metric} of every run by arm`" class="dots">
    <g v-for="tick in ticks" :key="tick">
      <line :x1="x(tick)" :x2="x(tick)" y1="4" :y2="height - 24" class="rule" />
      <text :x="x(tick)" :y="height - 9" text-anchor="middle" class="small">{{ say(tick) }}</text>
    </g>
    <g v-if="goal">
      <line :x1="x(goal)" :x2="x(goal)" y1="0" :y2="height - 24" class="goal" />
      <text :x="x(goal) + 5" y="11" class="small goal-word">goal {{ say(goal) }}</text>
    </g>
    <g v-for="(arm, i) in arms" :key="arm" :transform="`translate(0 ${i * ROW + 14})`">
      <text x="0" y="17" class="name">
        <title>{{ arm }}</title>
        {{ arm.length > WORDS ? `${arm.slice(0, WORDS - 1)}…` : arm }}
      </text>
      <text x="0" y="32" class="small">{{ values(arm).length }} runs</text>
      <line :x1="LEFT" :x2="W - 30" y1="26" y2="26" class="rule" />
      <circle v-for="(value, j) in values(arm)" :key="j" :cx="x(value)" :cy="12" r="4.5" class="dot">
        <title>{{ say(value) }}</title>
      </circle>
      <g v-if="intervals[arm] && intervals[arm].runs > 1">
        <path :d="`M${x(Math.max(intervals[arm].low, 1e-9))},21v10M${x(Math.max(intervals[arm].low, 1e-9))},26H${x(intervals[arm].high)}M${x(intervals[arm].high)},21v10`" class="bracket" />
        <path :d="`M${x(intervals[arm].mean)},20v12`" class="mean" />
        <text :x="x(intervals[arm].mean)" y="42" text-anchor="middle" class="small ink">{{ say(intervals[arm].mean) }}</text>
      </g>
    </g>
  </svg>
</template>

<style scoped>
.dots {
  width: 100%;
  max-height: 260px;
}
.rule {
  stroke: var(--rule);
}
.small {
  font: 11px var(--bs-font-monospace);
  fill: var(--faded);
}
.ink {
  fill: var(--ink);
}
.name {
  font-size: 14px;
  font-weight: 600;
  fill: var(--ink);
}
.dot {
  fill: var(--sheet);
  stroke: var(--petrol);
  stroke-width: 1.8;
}
.bracket {
  stroke: var(--ink);
  stroke-width: 1.5;
  fill: none;
}
.mean {
  stroke: var(--ink);
  stroke-width: 3;
}
.goal {
  stroke: var(--brass);
  stroke-width: 2;
}
.goal-word {
  fill: var(--brass);
}
</style>
