<script setup lang="ts">
import { BFormCheckbox, BFormInput } from 'bootstrap-vue-next'
import type { Problem } from '@/api/client'
import type { Target } from './design'

/** By which accounts a lab server is reached, and what may stay of what is written. */
const props = defineProps<{ problem: Problem | null }>()
const target = defineModel<Target>({ required: true })
const wrong = (field: string) => (props.problem?.field === `target.${field}` ? false : null)
const set = (name: 'account' | 'player' | 'database' | 'confirm', words: unknown) => (target.value = { ...target.value, [name]: String(words) || undefined })
const FIELDS = [
  ['account', 'changed by', "the server's own account"],
  ['player', 'played by', 'the same account'],
  ['database', 'database', "the address's"],
] as const
</script>

<template>
  <div class="accounts">
    <div v-for="[name, title, usual] in FIELDS" :key="name">
      <span class="faded">{{ title }}</span>
      <BFormInput
        :model-value="target[name] ?? ''"
        size="sm"
        :model-modifiers="{ lazy: true }"
        :placeholder="usual"
        :aria-label="title"
        :state="wrong(name)"
        :data-test="`target-${name}`"
        @update:model-value="(words) => set(name, words)"
      />
    </div>
    <BFormCheckbox :model-value="target.keep_writes ?? false" @update:model-value="(kept) => (target = { ...target, keep_writes: Boolean(kept) })">what it writes may stay</BFormCheckbox>
  </div>
</template>

<style scoped>
.accounts {
  display: flex;
  gap: 14px;
  align-items: center;
  margin-top: 5px;
}
.accounts > div {
  display: flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
}
</style>
