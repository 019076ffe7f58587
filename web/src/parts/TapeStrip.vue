<script setup lang="ts">
import { computed, onUnmounted, ref, watch } from 'vue'
import { api } from '@/api/client'
import { bandPath, stepLine } from '@/charts/paths'
import TapeWindow from './TapeWindow.vue'
import { useTapeDrag } from './tapeDrag'
import { useAnswer } from '@/state/fetching'
import { bumpAround, DAY, HOUR, lengthOf, MINUTE, spanOf, textOf } from '@/state/span'
import { clock, day } from '@/state/units'
import { useWidth } from '@/state/width'
import { now, useWindow } from '@/state/window'

const TOP = 9
const BOTTOM = 88
const LEFT = 46

const w = useWindow()
const frame = ref<HTMLElement>()
const width = useWidth(frame)

const tape = useAnswer(
  () => ({ scope: w.scope.value === 'first' ? 'fleet' : w.scope.value, span: w.viewText.value }),
  (query) => api.GET('/api/tape', { params: { query } }),
  () => lengthOf(w.viewText.value) !== null,
)
watch(tape.data, (value) => value && (now.value = value.now_us))
const ticking = setInterval(() => (now.value += 1e6), 1000)
onUnmounted(() => clearInterval(ticking))

const view = computed(() => spanOf(w.viewText.value, now.value) ?? spanOf('PT6H', now.value)!)
const perPixel = computed(() => (view.value.to - view.value.from) / Math.max(1, width.value - LEFT))
const { drag, begin } = useTapeDrag(perPixel, ({ what, span }) => {
  if (what === 'focus') w.setFocus(span)
  else if (what === 'reference') w.setReference(span)
  else w.change({ view: textOf(span) })
})
const shown = computed(() => (drag.value?.what === 'view' ? drag.value.span : view.value))
const x = (us: number) => LEFT + (us - shown.value.from) / perPixel.value
const at = (px: number) => shown.value.from + (px - LEFT) * perPixel.value

const top = computed(() => {
  const values = [...(tape.data.value?.active_sessions ?? []), ...(tape.data.value?.usual_high ?? [])].filter((v) => v !== null) as number[]
  return Math.max(0.5, ...values) * 1.08
})
const y = (value: number) => BOTTOM - (value / top.value) * (BOTTOM - TOP)
const scale = computed(() => {
  const step = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100].find((s) => top.value / s <= 4) ?? 200
  return Array.from({ length: Math.floor(top.value / step) + 1 }, (_, i) => Number((i * step).toPrecision(3)))
})
const line = computed(() => (tape.data.value ? stepLine(tape.data.value.at_us, tape.data.value.active_sessions, tape.data.value.step_us, x, y) : ''))
const band = computed(() => (tape.data.value ? bandPath(tape.data.value.at_us, tape.data.value.usual_low, tape.data.value.usual_high, x, y) : ''))
const ticks = computed(() => {
  const span = shown.value.to - shown.value.from
  const step = [5 * MINUTE, 15 * MINUTE, 30 * MINUTE, HOUR, 3 * HOUR, 6 * HOUR, DAY, 2 * DAY].find((s) => span / s <= 13) ?? 4 * DAY
  const first = Math.ceil(shown.value.from / step) * step
  return Array.from({ length: Math.max(0, Math.floor((shown.value.to - first) / step) + 1) }, (_, i) => first + i * step)
})
const label = (us: number) => (us % DAY === 0 ? day(us) : clock(us))
const focus = computed(() => (drag.value?.what === 'focus' ? drag.value.span : w.focus.value))
const reference = computed(() => (drag.value?.what === 'reference' ? drag.value.span : w.reference.value))
const beyond = computed(() => reference.value && (reference.value.to < shown.value.from || reference.value.from > shown.value.to))

function zoom(event: WheelEvent) {
  const factor = event.deltaY > 0 ? 1.35 : 1 / 1.35
  const length = Math.min(35 * DAY, Math.max(20 * MINUTE, (view.value.to - view.value.from) * factor))
  const middle = at(event.offsetX)
  const part = (middle - view.value.from) / (view.value.to - view.value.from)
  let to = middle + (1 - part) * length
  if (lengthOf(w.viewText.value) !== null && part > 0.9) return w.change({ view: `PT${Math.round(length / MINUTE)}M` })
  to = Math.min(to, now.value + length * 0.02)
  return w.change({ view: textOf({ from: to - length, to }) })
}
function bump(event: MouseEvent) {
  const data = tape.data.value
  if (!data) return
  const rect = (event.currentTarget as Element).getBoundingClientRect()
  const found = bumpAround(data.at_us, data.active_sessions, data.usual_high, at(event.clientX - rect.left), data.step_us)
  w.setFocus({ from: found.from, to: Math.min(found.to, now.value) })
}
</script>

<template>
  <section ref="frame" class="tape" aria-label="Tape: active sessions over time">
    <svg :width="width" height="104" role="img" :aria-label="`Active sessions of ${w.scope.value}, scale to ${top.toFixed(1)}`" @wheel.prevent="zoom" @dblclick="bump">
      <defs>
        <pattern id="gap-hatch" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><rect width="1.5" height="5" fill="var(--rule-strong)" /></pattern>
        <pattern id="ref-hatch" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><rect width="1" height="7" fill="var(--steel)" opacity="0.55" /></pattern>
        <clipPath id="paper"><rect :x="LEFT" y="0" :width="Math.max(0, width - LEFT)" height="104" /></clipPath>
      </defs>
      <rect class="paper" :x="LEFT" :y="TOP - 5" :width="Math.max(0, width - LEFT)" :height="BOTTOM - TOP + 5" @pointerdown="begin($event, 'view', 'view', shown)" />
      <g v-for="value in scale" :key="value">
        <line class="rule" :x1="LEFT" :x2="width" :y1="y(value)" :y2="y(value)" />
        <text class="small" :x="LEFT - 5" :y="y(value) + 3.5" text-anchor="end">{{ value }}</text>
      </g>
      <g clip-path="url(#paper)">
        <path class="band" :d="band" />
        <rect
          v-for="gap in tape.data.value?.gaps"
          :key="`${gap.server}${gap.from_us}`"
          :x="x(gap.from_us)"
          :y="TOP"
          :width="Math.max(2, x(gap.to_us ?? now) - x(gap.from_us))"
          :height="Math.max(4, (BOTTOM - TOP) * gap.share)"
          fill="url(#gap-hatch)"
        >
          <title>{{ gap.server }}: {{ gap.kind }}, {{ gap.reason }}</title>
        </rect>
        <path class="line" :d="line" />
        <g v-for="t in ticks" :key="t">
          <line class="tick" :x1="x(t)" :x2="x(t)" :y1="BOTTOM" :y2="BOTTOM + 4" />
          <text v-if="x(t) > LEFT + 14" class="small" :x="x(t)" y="101" text-anchor="middle">{{ label(t) }}</text>
        </g>
        <TapeWindow v-if="reference" kind="reference" :left="x(reference.from)" :right="x(reference.to)" :top="TOP - 3" :bottom="BOTTOM" @grip="(e, grip) => begin(e, 'reference', grip, reference!)" />
        <TapeWindow kind="focus" :left="x(focus.from)" :right="x(focus.to)" :top="TOP - 3" :bottom="BOTTOM" @grip="(e, grip) => begin(e, 'focus', grip, focus)" />
        <g v-for="change in tape.data.value?.changes" :key="`${change.server}${change.at_us}${change.title}`" class="change">
          <path :d="`M${x(change.at_us) - 4},1h8l-4,7z`" />
          <line :x1="x(change.at_us)" :x2="x(change.at_us)" :y1="8" :y2="BOTTOM" />
          <title>{{ clock(change.at_us) }} {{ change.server }}: {{ change.title }}</title>
        </g>
        <path v-for="one in tape.data.value?.findings" :key="one.server + one.title" class="notch" :class="one.kind" :d="`M${x(one.at_us) - 5},${BOTTOM + 1}h10l-5,-8z`">
          <title>{{ one.server }}: {{ one.title }}, since {{ clock(one.at_us) }}</title>
        </path>
      </g>
      <text v-if="beyond" class="small steel" :x="reference!.to < shown.from ? LEFT + 6 : width - 6" :y="TOP + 8" :text-anchor="reference!.to < shown.from ? 'start' : 'end'">
        reference {{ day(reference!.from) }} {{ clock(reference!.from) }} to {{ clock(reference!.to) }}
      </text>
      <text class="small name" transform="translate(11 50) rotate(-90)" text-anchor="middle">active sessions</text>
    </svg>
    <p v-if="tape.problem.value" class="problem">{{ tape.problem.value.detail }}</p>
  </section>
</template>

<style scoped>
.tape {
  border-top: 1px solid var(--rule-strong);
  background: var(--sheet);
  overflow: hidden;
  position: relative;
}
svg {
  display: block;
  user-select: none;
  touch-action: none;
}
.paper {
  fill: transparent;
  cursor: grab;
}
.rule {
  stroke: var(--rule);
  stroke-width: 1;
  pointer-events: none;
}
.band {
  fill: var(--usual);
  pointer-events: none;
}
.line {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.3;
  pointer-events: none;
}
.tick {
  stroke: var(--rule-strong);
}
.small {
  font: 10.5px var(--bs-font-monospace);
  fill: var(--faded);
  pointer-events: none;
}
.name {
  font-family: 'Archivo Variable', sans-serif;
}
.steel {
  fill: var(--steel);
}
.change path {
  fill: var(--petrol);
}
.change line {
  stroke: var(--petrol);
  stroke-dasharray: 2 3;
  pointer-events: none;
}
.notch {
  fill: var(--act);
}
.problem {
  position: absolute;
  inset: 30px 60px auto;
  color: var(--act);
}
</style>
