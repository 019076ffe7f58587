<script setup lang="ts">
import type { CheckResult, MixShare } from './design'

/** Whether the data agreed with itself after every run, and whether the mix was what was stated. */
defineProps<{ checks: CheckResult[]; mix: MixShare[] }>()
</script>

<template>
  <div data-test="soundness">
    <h2 class="part mt-2"><span>The data after the runs</span></h2>
    <p v-for="one in checks" :key="one.name" class="mb-1" :class="{ act: one.held < one.asked || !one.asked }">{{ one.words }}</p>
    <p v-if="mix.length" class="mb-1">
      <span v-for="one in mix" :key="one.name" class="me-3 text-nowrap" :class="{ act: !one.kept }">{{ one.words }}</span>
    </p>
  </div>
</template>
