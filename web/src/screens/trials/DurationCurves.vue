<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { said, text } from '@/state/units'
import ArmLines from './ArmLines.vue'
import { armLine } from './armLines'

/** How long executions took, arm by arm: the part of them that took at most so long, over a logarithmic scale. */
const props = defineProps<{ arms: Schemas['ArmInDetail'][]; hidden: string[] }>()
const W = 560
const H = 220
const LEFT = 44
const RIGHT = 14
const TOP = 12
const BOTTOM = H - 30
const shown = computed(() => props.arms.filter((arm) => arm.durations.length && !props.hidden.includes(arm.arm)))
const ends = computed<[number, number]>(() => {
  const all = props.arms.flatMap((arm) => arm.durations.map((one) => one.s))
  return all.length ? [Math.min(...all), Math.max(...all) * 1.02] : [0.001, 1]
})
const x = (s: number) => LEFT + (Math.log(s / ends.value[0]) / Math.log(ends.value[1] / ends.value[0] || 2)) * (W - LEFT - RIGHT)
const y = (share: number) => BOTTOM - share * (BOTTOM - TOP)
const ticks = computed(() => {
  const [low, high] = ends.value
  const marks = [-7, -6, -5, -4, -3, -2, -1, 0, 1, 2, 3].flatMap((e) => (high / low > 300 ? [1] : high / low > 30 ? [1, 3] : [1, 2, 5]).map((m) => m * 10 ** e))
  return marks.filter((one) => one >= low && one <= high)
})
// a step at each duration: nothing is drawn between what was measured
const path = (points: Schemas['CumulativePoint'][]) =>
  points.map((one, i) => (i ? `H${x(one.s).toFixed(1)}V${y(one.share).toFixed(1)}` : `M${x(one.s).toFixed(1)},${y(one.share).toFixed(1)}`)).join('')
const lines = computed(() => shown.value.map((one) => ({ name: one.arm, ...armLine(one.place), path: path(one.durations) })))
</script>

<template>
  <svg :viewBox="`0 0 ${W} ${H}`" role="img" aria-label="Part of the executions that took at most so long, by arm" class="drawn" data-test="duration-curves">
    <g v-for="share in [0, 0.25, 0.5, 0.75, 1]" :key="share">
      <line :x1="LEFT" :x2="W - RIGHT" :y1="y(share)" :y2="y(share)" class="rule" />
      <text :x="LEFT - 6" :y="y(share) + 4" text-anchor="end">{{ share * 100 }}%</text>
    </g>
    <g v-for="tick in ticks" :key="tick">
      <line :x1="x(tick)" :x2="x(tick)" :y1="TOP" :y2="BOTTOM" class="rule" />
      <text :x="x(tick)" :y="H - 12" text-anchor="middle">{{ text(said(tick, 's')) }}</text>
    </g>
    <ArmLines :lines="lines" />
  </svg>
</template>
