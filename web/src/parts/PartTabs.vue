<script setup lang="ts">
import type { RouteLocationRaw } from 'vue-router'
import { useWindow } from '@/state/window'

/** The parts of one screen, with focus and reference kept from one to the next. */
defineProps<{ label: string; parts: readonly { name: string; words: string; to: RouteLocationRaw }[] }>()
const w = useWindow()
</script>

<template>
  <nav class="parts" :aria-label="label">
    <RouterLink v-for="part in parts" :key="part.name" :to="part.to" :aria-current="w.route.name === part.name ? 'page' : undefined">{{ part.words }}</RouterLink>
  </nav>
</template>

<style scoped>
.parts {
  display: flex;
  gap: 18px;
  font-size: 13px;
  flex: none;
  padding-top: 3px;
}
.parts a {
  color: var(--faded);
  text-decoration: none;
  padding-bottom: 2px;
}
.parts a:hover {
  color: var(--ink);
}
.parts a[aria-current] {
  color: var(--ink);
  font-weight: 600;
  border-bottom: 2px solid var(--brass);
}
</style>
