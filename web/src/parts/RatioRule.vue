<script setup lang="ts">
/** A ratio as a needle with its interval on a logarithmic rule, the same in its middle; what lies beyond the rule stands at its end. */
const props = defineProps<{ ratio: number | null; low: number | null; high: number | null; shown: boolean; width: number; end: number }>()
const steps = Math.round(Math.log2(props.end))
const marks = Array.from({ length: 2 * steps + 1 }, (_, i) => 2 ** (i - steps))
const place = (ratio: number) => 4 + ((Math.log(Math.max(1 / props.end, Math.min(props.end, ratio))) / Math.log(props.end) + 1) / 2) * (props.width - 8)
</script>

<template>
  <svg :width="width" height="17" aria-hidden="true">
    <line class="rule" x1="4" :x2="width - 4" y1="13" y2="13" />
    <line v-for="mark in marks" :key="mark" class="rule" :class="{ one: mark === 1 }" :x1="place(mark)" :x2="place(mark)" :y1="mark === 1 ? 1 : 10" y2="13" />
    <path v-if="low !== null && high !== null" class="interval" :class="{ shown }" :d="`M${place(low)},9v-5H${place(high)}v5`" />
    <line v-if="ratio !== null" class="needle" :class="{ shown }" :x1="place(ratio)" :x2="place(ratio)" y1="2" y2="13" />
  </svg>
</template>

<style scoped>
.rule {
  stroke: var(--rule-strong);
}
.one {
  stroke: var(--steel);
  stroke-dasharray: 2 2;
}
.interval {
  fill: none;
  stroke: var(--faded);
}
.needle {
  stroke: var(--faded);
  stroke-width: 2;
}
.shown {
  stroke: var(--ink);
}
</style>
