<script setup lang="ts">
import type { Schemas } from '@/api/client'

/** What sets a lab server back that a trial changes, and whether it is as it was. */
defineProps<{ way: Schemas['WayBackOut'] }>()
</script>

<template>
  <div class="mt-2" data-test="way-back">
    <p class="mb-1">{{ way.sentence }}</p>
    <ul v-if="way.words.length && way.done_us === null" class="mb-1">
      <li v-for="one in way.words" :key="one">{{ one }}</li>
    </ul>
    <details v-if="way.sql.length">
      <summary>the way back</summary>
      <p v-for="one in way.sql" :key="one" class="sql mb-0">{{ one }};</p>
    </details>
  </div>
</template>
