<script setup lang="ts">
import { computed } from 'vue'
import { rankOf } from '@/state/grades'

const props = withDefaults(defineProps<{ grade: string; bare?: boolean }>(), { bare: false })
const filled = computed(() => rankOf(props.grade))
</script>

<template>
  <span class="grade" :style="{ color: `var(--${grade})` }">
    <svg width="22" height="12" aria-hidden="true">
      <line x1="0" x2="22" y1="11" y2="11" stroke="currentColor" stroke-width="1.5" />
      <rect v-for="i in 3" :key="i" :x="(i - 1) * 8 + 0.5" y="2" width="5" height="8" stroke="currentColor" :fill="i <= filled ? 'currentColor' : 'none'" />
    </svg>
    <span :class="{ 'visually-hidden': bare }">{{ grade }}</span>
  </span>
</template>

<style scoped>
.grade {
  display: inline-flex;
  align-items: center;
  gap: 5px;
  font-weight: 600;
  white-space: nowrap;
}
</style>
