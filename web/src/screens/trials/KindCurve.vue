<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { valueTicks } from '@/charts/scale'
import { said, text } from '@/state/units'

/** A sweep, a scaling trial, steps or a search as a curve: runs as dots, means with their intervals, the fitted curve and where it turns. */
const props = defineProps<{ curve: Schemas['KindCurve'] }>()
const W = 760
const H = 260
const LEFT = 74
const RIGHT = 24
const TOP = 24
const BOTTOM = H - 44
const points = computed(() => props.curve.points)
const top = computed(() => Math.max(...points.value.flatMap((one) => [one.high ?? one.mean, ...one.runs]), ...props.curve.fitted.map((one) => one.y)) * 1.08 || 1)
const ends = computed(() => [Math.min(...points.value.map((one) => one.x)), Math.max(...points.value.map((one) => one.x))] as const)
const pad = computed(() => (points.value.length < 2 ? 1 : props.curve.named ? 0.5 : (ends.value[1] - ends.value[0]) * 0.04))
const x = (place: number) => LEFT + ((place - ends.value[0] + pad.value) / (ends.value[1] - ends.value[0] + 2 * pad.value)) * (W - LEFT - RIGHT)
const y = (figure: number) => BOTTOM - (Math.max(0, figure) / top.value) * (BOTTOM - TOP)
const path = (of: Schemas['FittedPoint'][]) => of.map((one) => `${x(one.x).toFixed(1)},${y(one.y).toFixed(1)}`).join(' L')
const band = computed(() => {
  const known = points.value.filter((one) => one.low !== null && one.high !== null)
  if (known.length < 2 || !props.curve.joined) return ''
  return `M${path(known.map((one) => ({ x: one.x, y: one.high ?? 0 })))} L${path([...known].reverse().map((one) => ({ x: one.x, y: one.low ?? 0 })))} Z`
})
const ticks = computed(() => {
  const found = valueTicks(top.value)
  const half = (found[1] ?? 0) / 2
  return found.length > 2 ? found : Array.from({ length: Math.floor(top.value / half) + 1 }, (_, i) => i * half)
})
const say = (figure: number) => text(said(figure, props.curve.unit))
/** Where the curve turns, as far as the axis goes. */
const turn = computed(() => {
  if (!props.curve.turn) return null
  const { value: at, low, high } = props.curve.turn
  const end = ends.value[1] + pad.value
  return { at, from: x(Math.max(low, ends.value[0])), to: x(Math.min(high ?? end, end)), inside: at <= end, open: high === null }
})
// names under the axis as far as there is room: long ones are cut, and of many each so-manieth is written
const room = computed(() => (W - LEFT - RIGHT) / points.value.length)
const each = computed(() => Math.max(1, Math.ceil(22 / room.value)))
const most = computed(() => Math.max(3, Math.floor((room.value * each.value) / 6.6)))
const cut = (name: string) => (name.length > most.value ? `${name.slice(0, most.value - 1)}…` : name)
const turns = computed(() => (turn.value ? `turns at ${Number(turn.value.at.toPrecision(3))}` : ''))
</script>

<template>
  <svg :viewBox="`0 0 ${W} ${H}`" role="img" :aria-label="`${curve.y} by ${curve.x}: every run, and the mean of each with its 95% interval`" class="drawn" data-test="kind-curve">
    <g v-for="tick in ticks" :key="tick">
      <line :x1="LEFT" :x2="W - RIGHT" :y1="y(tick)" :y2="y(tick)" class="rule" />
      <text :x="LEFT - 8" :y="y(tick) + 4" text-anchor="end">{{ say(tick) }}</text>
    </g>
    <template v-for="(one, i) in points" :key="one.name">
      <text v-if="i % each === 0" :x="x(one.x)" :y="BOTTOM + 17" text-anchor="middle">
        {{ cut(one.name) }}
        <title>{{ one.name }}</title>
      </text>
    </template>
    <text :x="(LEFT + W - RIGHT) / 2" :y="H - 8" text-anchor="middle">{{ curve.x }}</text>
    <text :x="4" :y="12">{{ curve.y }}</text>
    <path v-if="band" :d="band" class="band" />
    <path v-if="curve.fitted.length" :d="`M${path(curve.fitted)}`" class="fitted" />
    <path v-else :d="`M${path(points.map((one) => ({ x: one.x, y: one.mean })))}`" class="line" />
    <g v-for="one in points" :key="one.name" :class="{ good: one.good, broke: curve.fitted.length && one.good === false }">
      <line v-if="one.low !== null && one.high !== null" :x1="x(one.x)" :x2="x(one.x)" :y1="y(one.low)" :y2="y(one.high)" class="interval" />
      <circle v-for="(run, i) in one.runs" :key="i" :cx="x(one.x)" :cy="y(run)" r="2" class="run" />
      <rect :x="x(one.x) - 5" :y="y(one.mean) - 1.5" width="10" height="3" class="mean">
        <title>{{ one.name }}: {{ say(one.mean) }}</title>
      </rect>
    </g>
    <g v-if="turn" class="turn">
      <line :x1="turn.from" :x2="turn.to" :y1="TOP - 8" :y2="TOP - 8" />
      <line v-if="turn.inside" :x1="x(turn.at)" :x2="x(turn.at)" :y1="TOP - 12" :y2="BOTTOM" class="at" />
      <text :x="W - RIGHT" :y="10" text-anchor="end">{{ turns }}{{ turn.open ? ', no upper end shown' : '' }}</text>
    </g>
  </svg>
</template>

<style scoped>
.drawn {
  max-width: 760px;
  margin: 4px 0 10px;
}
.band {
  fill: var(--f-processor);
  opacity: 0.16;
}
.line,
.fitted {
  fill: none;
  stroke: var(--f-processor);
  stroke-width: 1.5;
}
.interval {
  stroke: var(--ink);
}
.mean {
  fill: var(--ink);
}
.run {
  fill: none;
  stroke: var(--faded);
}
.good .mean {
  fill: var(--fine);
}
.broke .mean {
  fill: var(--act);
}
.turn line {
  stroke: var(--faded);
  stroke-width: 2;
}
.turn .at {
  stroke-width: 1;
  stroke-dasharray: 3 3;
}
</style>
