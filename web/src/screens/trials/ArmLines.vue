<script setup lang="ts">
import type { Line } from './armLines'

/** The lines of a picture. */
defineProps<{ lines: (Omit<Line, 'values'> & { path: string })[] }>()
</script>

<template>
  <path v-for="one in lines" :key="one.name" :d="one.path" class="line" :stroke="one.stroke" :stroke-dasharray="one.dash">
    <title>{{ one.name }}</title>
  </path>
</template>

<style scoped>
.line {
  fill: none;
  stroke-width: 1.5;
}
</style>
