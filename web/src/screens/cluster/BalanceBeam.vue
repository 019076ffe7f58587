<script setup lang="ts">
/** A member's part of all against an even part: a beam with the even part as its mark. */
defineProps<{ part: number | null; even: number | null; name: string }>()
const WIDTH = 120
</script>

<template>
  <template v-if="part !== null && even !== null">
    <span class="figure">{{ (part * 100).toFixed(0) }}%</span> <span class="unit">of {{ name }}, even {{ (even * 100).toFixed(0) }}%</span>
    <svg :width="WIDTH" height="10" class="d-block" role="img" :aria-label="`${(part * 100).toFixed(0)}% of ${name}, an even part is ${(even * 100).toFixed(0)}%`">
      <rect class="beam" x="0" y="4" :width="WIDTH" height="3" />
      <rect class="part" x="0" y="4" :width="Math.min(1, part / Math.max(2 * even, part)) * WIDTH" height="3" />
      <line class="even" :x1="(even / Math.max(2 * even, part)) * WIDTH" :x2="(even / Math.max(2 * even, part)) * WIDTH" y1="0" y2="10" />
    </svg>
  </template>
  <span v-else class="faded">{{ even === null ? 'the only one of its role' : 'not known' }}</span>
</template>

<style scoped>
.beam {
  fill: var(--usual);
}
.part {
  fill: var(--ink);
}
.even {
  stroke: var(--steel);
  stroke-width: 2;
}
</style>
