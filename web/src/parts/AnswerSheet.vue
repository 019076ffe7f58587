<script setup lang="ts" generic="T extends object">
import StateNote from './StateNote.vue'
import type { Answer } from '@/state/fetching'

/** A screen that shows one answer of the API: its sentence, what stands beside it, and the detail once it is there. */
defineProps<{ answer: Answer<T>; fill?: boolean }>()
const sentenceOf = (data: T) => ('sentence' in data ? String(data.sentence) : '')
</script>

<template>
  <div class="sheet" :class="{ fill }">
    <StateNote :problem="answer.problem.value" :working="answer.working.value" :has="!!answer.data.value" @again="answer.ask" />
    <template v-if="answer.data.value">
      <div class="top">
        <p class="lead-sentence" data-test="sentence">
          <slot name="sentence" :data="answer.data.value">{{ sentenceOf(answer.data.value) }}</slot>
        </p>
        <slot name="beside" />
      </div>
      <slot :data="answer.data.value" />
    </template>
  </div>
</template>

<style scoped>
.fill {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.top {
  display: flex;
  justify-content: space-between;
  gap: 20px;
  align-items: start;
}
.top :slotted(.btn) {
  flex: none;
}
</style>
