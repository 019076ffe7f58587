<script setup lang="ts">
import { computed } from 'vue'
import { valueTicks } from './scale'
import type { Schemas } from '@/api/client'
import { said, share, text } from '@/state/units'

/** Hit ratio by size of a cache: the curve with its band, the size that is set, and the size that finds nearly all there is to find. */
const props = defineProps<{ curve: Schemas['CacheCurve']; now: Schemas['CachePoint'] | null }>()
const W = 620
const H = 220
const LEFT = 46
const BOTTOM = H - 34
const TOP = 18
const widest = computed(() => Math.max(props.curve.touched_bytes, props.now?.bytes ?? 0) * 1.04)
const x = (bytes: number) => LEFT + (bytes / widest.value) * (W - LEFT - 12)
const y = (ratio: number) => BOTTOM - ratio * (BOTTOM - TOP)
const points = computed(() => [{ bytes: 0, hit_ratio: 0, low: 0, high: 0 }, ...props.curve.points])
const path = (of: (one: Schemas['CachePoint']) => number) => points.value.map((one) => `${x(one.bytes).toFixed(1)},${y(of(one)).toFixed(1)}`).join(' L')
const band = computed(
  () =>
    `M${path((one) => one.high)} L${[...points.value]
      .reverse()
      .map((one) => `${x(one.bytes).toFixed(1)},${y(one.low).toFixed(1)}`)
      .join(' L')} Z`,
)
const sizes = computed(() => valueTicks(widest.value))
const named = computed(() => [
  { at: props.curve.knee_bytes, words: `95% of all with ${text(said(props.curve.knee_bytes, 'B'))}`, kind: 'knee' },
  ...(props.now ? [{ at: props.now.bytes, words: `set: ${text(said(props.now.bytes, 'B'))}`, kind: 'now' }] : []),
])
const anchor = (at: number) => (x(at) > W * 0.6 ? 'end' : 'start')
</script>

<template>
  <svg :viewBox="`0 0 ${W} ${H}`" role="img" aria-label="Part of the pages asked for that a cache finds, by its size" class="drawn">
    <g v-for="ratio in [0, 0.25, 0.5, 0.75, 1]" :key="ratio">
      <line :x1="LEFT" :x2="W - 12" :y1="y(ratio)" :y2="y(ratio)" class="rule" />
      <text :x="LEFT - 6" :y="y(ratio) + 4" text-anchor="end">{{ ratio ? share(ratio) : '0' }}</text>
    </g>
    <g v-for="size in sizes" :key="size">
      <line :x1="x(size)" :x2="x(size)" :y1="BOTTOM" :y2="BOTTOM + 4" class="rule" />
      <text :x="x(size)" :y="BOTTOM + 18" text-anchor="middle">{{ text(said(size, 'B')) }}</text>
    </g>
    <path :d="band" class="band" />
    <path :d="`M${path((one) => one.hit_ratio)}`" class="line" />
    <g v-for="(one, i) in named" :key="one.kind" :class="one.kind">
      <line :x1="x(one.at)" :x2="x(one.at)" :y1="TOP" :y2="BOTTOM" />
      <text :x="x(one.at) + (anchor(one.at) === 'end' ? -5 : 5)" :y="BOTTOM - 10 - 18 * i" :text-anchor="anchor(one.at)">{{ one.words }}</text>
    </g>
  </svg>
</template>

<style scoped>
.drawn {
  max-width: 620px;
}
.band {
  fill: var(--f-data-read);
  opacity: 0.22;
}
.line {
  fill: none;
  stroke: var(--f-data-read);
  stroke-width: 1.6;
}
.now line {
  stroke: var(--ink);
}
svg.drawn .now text {
  fill: var(--ink);
}
.knee line {
  stroke: var(--faded);
  stroke-dasharray: 3 3;
}
</style>
