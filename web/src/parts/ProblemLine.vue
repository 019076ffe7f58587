<script setup lang="ts">
import type { Problem } from '@/api/client'

/** What was wrong with the last thing that was done, in one line. */
defineProps<{ problem: Problem | null }>()
</script>

<template>
  <p v-if="problem" class="act mb-0" role="alert">{{ problem.title }}. {{ problem.detail }}</p>
</template>
