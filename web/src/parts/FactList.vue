<script setup lang="ts">
import FigureText from './FigureText.vue'

/** Facts about one thing: names with their figures, in one column of pairs or in several. */
withDefaults(defineProps<{ facts: readonly [name: string, value: number | null, unit: string][]; missing?: string; columns?: number }>(), { missing: undefined, columns: 1 })
</script>

<template>
  <dl :style="{ gridTemplateColumns: `repeat(${columns}, auto 1fr)` }">
    <template v-for="[name, value, unit] in facts" :key="name">
      <dt>{{ name }}</dt>
      <dd><FigureText :value="value" :unit="unit" :missing="missing" /></dd>
    </template>
  </dl>
</template>

<style scoped>
dl {
  display: grid;
  gap: 2px 10px;
  font-size: 13px;
  margin: 0 0 8px;
}
dt {
  font-weight: 400;
  color: var(--faded);
}
dd {
  margin: 0;
  padding-right: 10px;
  text-align: right;
}
</style>
