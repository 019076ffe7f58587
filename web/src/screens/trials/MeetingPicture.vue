<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { valueTicks } from '@/charts/scale'
import { said, share, text } from '@/state/units'

/** How changes that were tried together meet: a line for each level of the second, from without to with the first; and what each effect explains. */
const props = defineProps<{ meeting: Schemas['Meeting'] }>()
const W = 380
const H = 210
const LEFT = 64
const RIGHT = 110
const TOP = 24
const BOTTOM = H - 26
const every = computed(() => props.meeting.panels.flatMap((panel) => panel.lines.flatMap((line) => line.points)))
const top = computed(() => Math.max(...every.value.flatMap((one) => [one.high ?? one.mean, ...one.runs])) * 1.06 || 1)
const x = (place: number) => LEFT + 28 + place * (W - LEFT - RIGHT - 56)
const y = (figure: number) => BOTTOM - (Math.max(0, figure) / top.value) * (BOTTOM - TOP)
const say = (figure: number) => text(said(figure, props.meeting.unit))
const ticks = computed(() => valueTicks(top.value))
const path = (points: Schemas['KindCurve']['points'][number][]) => points.map((one) => `${x(one.x)},${y(one.mean).toFixed(1)}`).join(' ')
/** Where the name of a line stands: beside its end, apart from the other's. */
function nameAt(panel: Schemas['MeetingPanel'], line: number): number | null {
  const ends = panel.lines.map((one) => one.points.find((point) => point.x === 1))
  const [mine, other] = [ends[line], ends[1 - line]]
  if (!mine) return null
  const at = y(mine.mean) + 4
  if (!other) return at
  const gap = y(other.mean) + 4 - at
  return Math.abs(gap) >= 14 ? at : at - Math.sign(gap || (line ? 1 : -1)) * (14 - Math.abs(gap)) * 0.5
}
const cut = (name: string) => (name.length > 17 ? `${name.slice(0, 16)}…` : name)
const parts = computed(() => {
  let from = 0
  return props.meeting.parts.map((one) => ({ ...one, from: (from += one.share) - one.share }))
})
</script>

<template>
  <div class="meeting" data-test="meeting">
    <svg
      v-for="panel in meeting.panels"
      :key="panel.title"
      :viewBox="`0 0 ${W} ${H}`"
      role="img"
      :aria-label="`${meeting.y} without and with ${meeting.first}${panel.title ? `, ${panel.title}` : ''}`"
      class="drawn"
    >
      <text :x="4" :y="12">
        {{ meeting.y }}
        <template v-if="panel.title">, {{ panel.title }}</template>
      </text>
      <g v-for="tick in ticks" :key="tick">
        <line :x1="LEFT" :x2="W - RIGHT" :y1="y(tick)" :y2="y(tick)" class="rule" />
        <text :x="LEFT - 6" :y="y(tick) + 4" text-anchor="end">{{ say(tick) }}</text>
      </g>
      <text :x="x(0)" :y="H - 8" text-anchor="middle">without</text>
      <text :x="x(1)" :y="H - 8" text-anchor="middle">
        with {{ cut(meeting.first) }}
        <title>{{ meeting.first }}</title>
      </text>
      <g v-for="(line, i) in panel.lines" :key="line.name" :class="i ? 'second' : 'first'">
        <polyline :points="path(line.points)" class="line" />
        <g v-for="one in line.points" :key="one.x">
          <line v-if="one.low !== null && one.high !== null" :x1="x(one.x)" :x2="x(one.x)" :y1="y(one.low)" :y2="y(one.high)" class="interval" />
          <circle v-for="(run, n) in one.runs" :key="n" :cx="x(one.x)" :cy="y(run)" r="2" class="run" />
          <rect :x="x(one.x) - 5" :y="y(one.mean) - 1.5" width="10" height="3" class="mean">
            <title>{{ line.name }}, {{ one.name }}: {{ say(one.mean) }}</title>
          </rect>
        </g>
        <text v-if="nameAt(panel, i) !== null" :x="x(1) + 12" :y="nameAt(panel, i) ?? 0" class="name">
          {{ cut(line.name) }}
          <title>{{ line.name }}</title>
        </text>
      </g>
    </svg>
    <div v-if="parts.length" class="parts">
      <p class="mb-1">Part of the variation that each explains</p>
      <svg viewBox="0 0 380 18" role="img" aria-label="Part of the variation by effect" class="drawn">
        <rect
          v-for="(one, i) in parts"
          :key="one.name"
          :x="one.from * 380"
          y="0"
          :width="Math.max(0, one.share * 380 - 1)"
          height="18"
          :class="one.name ? (one.shown ? 'shown' : 'hidden') : 'rest'"
          :opacity="one.name && one.shown ? 1 - 0.22 * i : 1"
        >
          <title>{{ one.name || 'nothing that was changed' }}: {{ share(one.share) }}</title>
        </rect>
      </svg>
      <p v-for="one in parts" :key="one.name" class="mb-0 part-line">
        <span>{{ one.name || 'between blocks, by nothing that was changed' }}</span><span class="figure">{{ share(one.share) }}</span
        ><span class="faded">{{ one.name ? (one.shown ? '' : 'not shown') : '' }}</span>
      </p>
    </div>
  </div>
</template>

<style scoped>
.meeting {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(340px, 400px));
  gap: 8px 28px;
  margin-bottom: 8px;
}
.line {
  fill: none;
  stroke-width: 1.6;
}
.first .line {
  stroke: var(--f-processor);
}
.second .line {
  stroke: var(--f-data-read);
}
.interval {
  stroke: var(--ink);
}
.mean,
svg.drawn .name {
  fill: var(--ink);
}
.run {
  fill: none;
  stroke: var(--faded);
}
.shown {
  fill: var(--f-processor);
}
.hidden,
.rest {
  fill: var(--usual);
}
.parts {
  font-size: 13px;
}
.part-line {
  display: grid;
  grid-template-columns: 1fr 60px 80px;
  gap: 10px;
}
</style>
