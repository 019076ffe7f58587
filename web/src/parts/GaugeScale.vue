<script setup lang="ts">
import { computed } from 'vue'
import { said, text } from '@/state/units'

/** A short horizontal scale: ticks, the usual range shaded, a needle for now, hollow ones for others. */
const props = withDefaults(
  defineProps<{ value: number | null; low?: number | null; high?: number | null; reference?: number | null; others?: number[]; unit: string; width?: number; name: string; max?: number }>(),
  { low: null, high: null, reference: null, others: () => [], width: 150, max: undefined },
)
const H = 20
const end = computed(() => {
  const top = props.max ?? Math.max(props.value ?? 0, props.high ?? 0, props.reference ?? 0, ...props.others, 1e-9) * 1.12
  const size = 10 ** Math.floor(Math.log10(top))
  return ([1, 2, 3, 4, 5, 6, 8, 10].find((m) => m * size >= top) ?? 10) * size
})
const x = (value: number) => 3 + (Math.min(value, end.value) / end.value) * (props.width - 6)
const ticks = computed(() => Array.from({ length: 11 }, (_, i) => ({ at: x((end.value * i) / 10), long: i % 5 === 0 })))
const words = computed(() => {
  const now = props.value === null ? 'not recorded' : text(said(props.value, props.unit))
  const range = props.low !== null && props.high !== null ? `, usually ${text(said(props.low, props.unit))} to ${text(said(props.high, props.unit))}` : ''
  return `${props.name}: ${now}${range}; scale to ${text(said(end.value, props.unit))}`
})
</script>

<template>
  <svg :width="width" :height="H" role="img" :aria-label="words">
    <title>{{ words }}</title>
    <rect v-if="low !== null && high !== null" class="usual" :x="x(low)" y="3" :width="Math.max(2, x(high) - x(low))" height="11" />
    <line class="base" x1="3" :x2="width - 3" y1="14" y2="14" />
    <line v-for="tick in ticks" :key="tick.at" class="base" :x1="tick.at" :x2="tick.at" y1="14" :y2="tick.long ? 19 : 17" />
    <path v-for="other in others" :key="other" class="other" :d="`M${x(other)},4V14`" />
    <path v-if="reference !== null" class="hollow" :d="`M${x(reference) - 3.5},2h7l-3.5,12z`" />
    <path v-if="value !== null" class="needle" :d="`M${x(value) - 3},1h6l-2,13h-2z`" />
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
.usual {
  fill: var(--usual);
  stroke: var(--rule-strong);
  stroke-width: 0.5;
}
.base {
  stroke: var(--rule-strong);
}
.needle {
  fill: var(--ink);
}
.hollow {
  fill: var(--sheet);
  stroke: var(--steel);
  stroke-width: 1.2;
}
.other {
  stroke: var(--rule-strong);
  stroke-width: 1.5;
}
</style>
