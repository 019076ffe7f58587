<script setup lang="ts">
import { BButton, BSpinner } from 'bootstrap-vue-next'
import type { Problem } from '@/api/client'

defineProps<{ problem: Problem | null; working: boolean; empty?: boolean; has: boolean }>()
defineEmits<{ again: [] }>()
</script>

<template>
  <div v-if="problem" class="note" role="alert">
    <strong>{{ problem.title }}.</strong> {{ problem.detail }}
    <BButton size="sm" variant="outline-secondary" class="ms-2" @click="$emit('again')">Try again</BButton>
  </div>
  <div v-else-if="!has" class="note waiting" aria-live="polite">
    <template v-if="working"><BSpinner small /> Reading what was recorded</template>
    <template v-else>&nbsp;</template>
  </div>
  <div v-else-if="empty" class="note faded"><slot name="empty">Nothing here in this window. Move the focus on the tape.</slot></div>
</template>

<style scoped>
.note {
  padding: 8px 0;
}
.waiting {
  min-height: 300px;
  color: var(--faded);
}
</style>
