<script setup lang="ts">
/** A figure in a table with a thin bar under it, scaled to the column; the reference as a hairline. */
defineProps<{ value: number; max: number; reference?: number | null; colour?: string }>()
const part = (value: number, max: number) => `${Math.min(100, (value / Math.max(max, 1e-12)) * 100)}%`
</script>

<template>
  <span class="cell">
    <slot />
    <span class="bar" aria-hidden="true">
      <span class="fill" :style="{ width: part(value, max), background: colour }"></span>
      <span v-if="reference !== undefined && reference !== null" class="hair" :style="{ left: part(reference, max) }"></span>
    </span>
  </span>
</template>

<style scoped>
.cell {
  display: block;
  min-width: 64px;
}
.bar {
  display: block;
  position: relative;
  height: 3px;
  background: var(--usual);
  margin-top: 1px;
}
.fill {
  position: absolute;
  inset: 0 auto 0 0;
  background: var(--ink);
}
.hair {
  position: absolute;
  top: -2px;
  bottom: -1px;
  width: 1.5px;
  background: var(--steel);
}
</style>
