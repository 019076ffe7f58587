<script setup lang="ts">
import { SETUP } from '@/app/routes'
import { useWindow } from '@/state/window'

const w = useWindow()
</script>

<template>
  <nav class="parts" aria-label="Parts of Setup">
    <RouterLink v-for="part in SETUP" :key="part.name" :to="{ name: `setup-${part.name}`, query: w.kept.value }" :aria-current="w.route.name === `setup-${part.name}` ? 'page' : undefined">{{
      part.words
    }}</RouterLink>
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
