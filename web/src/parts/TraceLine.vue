<script setup lang="ts">
import { computed } from 'vue'

/** The last day as a small trace; its own scale from zero, the top figure in words for readers. */
const props = withDefaults(defineProps<{ values: (number | null)[]; width?: number; name: string }>(), { width: 120 })
const H = 20
const top = computed(() => Math.max(0.05, ...props.values.map((v) => v ?? 0)))
const path = computed(() => {
  let pen = false
  return props.values
    .map((value, i) => {
      if (value === null) {
        pen = false
        return ''
      }
      const point = `${pen ? 'L' : 'M'}${((i / (props.values.length - 1)) * (props.width - 2) + 1).toFixed(1)},${(H - 2 - (value / top.value) * (H - 4)).toFixed(1)}`
      pen = true
      return point
    })
    .join('')
})
</script>

<template>
  <svg :width="width" :height="H" role="img" :aria-label="`${name}, last 24 hours, highest ${top.toFixed(2)}`">
    <title>{{ name }}, last 24 hours, highest {{ top.toFixed(2) }}</title>
    <line x1="0" :x2="width" :y1="H - 2" :y2="H - 2" stroke="var(--rule-strong)" />
    <path :d="path" fill="none" stroke="var(--ink)" stroke-width="1.2" />
  </svg>
</template>
