<script setup lang="ts">
import { computed } from 'vue'
import { valueTicks } from '@/charts/scale'
import { said, text } from '@/state/units'
import ArmLines from './ArmLines.vue'
import type { Line } from './armLines'

/** A figure by second of a run, the first of them ``since`` seconds after its start, over ``seconds`` of it. */
const props = defineProps<{ lines: Line[]; since?: number; seconds: number; title: string; unit: string }>()
const W = 560
const H = 130
const LEFT = 60
const RIGHT = 14
const TOP = 22
const BOTTOM = H - 22
const first = computed(() => props.since ?? 0)
const top = computed(() => Math.max(...props.lines.flatMap((one) => one.values.map((value) => value ?? 0)), 0) * 1.08 || 1)
const x = (second: number) => LEFT + (second / Math.max(props.seconds, 1)) * (W - LEFT - RIGHT)
const y = (figure: number) => BOTTOM - (figure / top.value) * (BOTTOM - TOP)
/** A level for each second; a gap where nothing ended. */
const path = (values: (number | null)[]) =>
  values
    .map((one, at) =>
      one === null ? '' : `M${x(at).toFixed(1)},${y(one).toFixed(1)}H${x(at + 1).toFixed(1)}${values[at + 1] === null || values[at + 1] === undefined ? '' : `V${y(values[at + 1] ?? 0).toFixed(1)}`}`,
    )
    .join('')
const ticks = computed(() => valueTicks(top.value))
const marks = computed(() => valueTicks(props.seconds).filter((one) => Number.isInteger(one)))
const drawn = computed(() => props.lines.map((one) => ({ ...one, path: path(one.values) })))
</script>

<template>
  <svg :viewBox="`0 0 ${W} ${H}`" role="img" :aria-label="`${title} by second of a run`" class="drawn" data-test="by-second">
    <text :x="4" :y="12">{{ title }}</text>
    <g v-for="tick in ticks" :key="tick">
      <line :x1="LEFT" :x2="W - RIGHT" :y1="y(tick)" :y2="y(tick)" class="rule" />
      <text :x="LEFT - 6" :y="y(tick) + 4" text-anchor="end">{{ text(said(tick, unit)) }}</text>
    </g>
    <text v-for="mark in marks" :key="mark" :x="x(mark)" :y="H - 6" text-anchor="middle">{{ first + mark }} s</text>
    <ArmLines :lines="drawn" />
  </svg>
</template>
