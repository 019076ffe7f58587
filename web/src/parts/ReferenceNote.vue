<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import type { Schemas } from '@/api/client'
import { useWindow } from '@/state/window'

/** What the figures of a sheet are compared with, and what else they could be compared with. */
defineProps<{ note: string; offers?: Schemas['ReferenceOffer'][] }>()
const w = useWindow()
</script>

<template>
  <p class="faded note" data-test="reference-note">
    {{ note }}
    <template v-if="offers?.length"
      >Compare with
      <template v-for="(offer, i) in offers" :key="offer.reference"
        >{{ i ? ' or ' : '' }}<BButton size="sm" variant="link" class="p-0 align-baseline" @click="w.compareWith(offer.reference)">{{ offer.words }}</BButton></template
      >.</template
    >
  </p>
</template>

<style scoped>
.note {
  font-size: 12.5px;
  margin-bottom: 6px;
}
.note :deep(.btn) {
  font-size: 12.5px;
}
</style>
