<script setup lang="ts">
import type { Grip } from './tapeDrag'

defineProps<{ kind: 'focus' | 'reference'; left: number; right: number; top: number; bottom: number }>()
defineEmits<{ grip: [PointerEvent, Grip] }>()
const EDGE = 7
</script>

<template>
  <g :class="kind" :data-window="kind">
    <rect
      class="body"
      :x="left"
      :y="top"
      :width="Math.max(3, right - left)"
      :height="bottom - top"
      :fill="kind === 'reference' ? 'url(#ref-hatch)' : undefined"
      @pointerdown.stop="$emit('grip', $event, 'move')"
    >
      <title>{{ kind }}: drag to move, drag an edge to resize</title>
    </rect>
    <rect class="edge" :x="left - EDGE / 2" :y="top" :width="EDGE" :height="bottom - top" @pointerdown.stop="$emit('grip', $event, 'from')" />
    <rect class="edge" :x="right - EDGE / 2" :y="top" :width="EDGE" :height="bottom - top" @pointerdown.stop="$emit('grip', $event, 'to')" />
  </g>
</template>

<style scoped>
.body {
  cursor: move;
  stroke-width: 2;
}
.focus .body {
  fill: var(--brass);
  fill-opacity: 0.1;
  stroke: var(--brass);
}
.reference .body {
  stroke: var(--steel);
  stroke-width: 1.5;
}
.edge {
  fill: transparent;
  cursor: ew-resize;
}
</style>
