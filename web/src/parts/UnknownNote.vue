<script setup lang="ts">
/** What a diagnosis could not look at, so that nothing unknown reads as health. */
defineProps<{ unknown: string[] }>()
</script>

<template>
  <p v-for="words in unknown" :key="words" class="faded unknown">{{ words }}</p>
</template>

<style scoped>
.unknown {
  font-size: 12.5px;
  margin-bottom: 6px;
}
</style>
