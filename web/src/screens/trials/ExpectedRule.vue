<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'

/** An expected range as a band, the measured ratio as a mark with its interval, from nothing to `end`, which is above as it was (1). */
const props = defineProps<{ met: Schemas['Met']; end: number }>()
const W = 170
const x = (ratio: number) => 2 + (Math.min(Math.max(ratio, 0), props.end) / props.end) * (W - 4)
const said = computed(() => props.met.agreement)
</script>

<template>
  <svg :viewBox="`0 0 ${W} 18`" :width="W" height="18" role="img" :aria-label="said">
    <line :x1="x(0)" :x2="x(end)" y1="14" y2="14" class="axis" />
    <line :x1="x(1)" :x2="x(1)" y1="2" y2="16" class="same" />
    <rect :x="x(met.expected.low)" :width="Math.max(2, x(met.expected.high) - x(met.expected.low))" y="3" height="9" class="band" />
    <line :x1="x(met.low)" :x2="x(met.high)" y1="7.5" y2="7.5" class="interval" />
    <line :x1="x(met.measured)" :x2="x(met.measured)" y1="2" y2="13" class="mark" :class="{ off: said === 'less than expected' }" />
  </svg>
</template>

<style scoped>
.axis,
.same {
  stroke: var(--rule);
}
.same {
  stroke-dasharray: 2 2;
  stroke: var(--faded);
}
.band {
  fill: var(--usual);
}
.interval {
  stroke: var(--ink);
}
.mark {
  stroke: var(--ink);
  stroke-width: 2.5;
}
.mark.off {
  stroke: var(--act);
}
</style>
