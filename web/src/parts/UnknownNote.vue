<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import type { Span } from '@/state/span'
import { clock, day } from '@/state/units'

/** What a diagnosis could not look at, so that nothing unknown reads as health. */
const props = defineProps<{ findings: Schemas['Findings']; focus: Span }>()
const before = computed(() => props.findings.since_us === null || props.findings.since_us > props.focus.to)
const words = (cause: string) => cause.replaceAll('_', ' ')
</script>

<template>
  <p v-if="before" class="faded unknown">
    {{
      findings.since_us === null
        ? 'Not diagnosed yet; findings come within some minutes.'
        : `This time was not diagnosed; findings are looked for since ${day(findings.since_us)} ${clock(findings.since_us)}.`
    }}
  </p>
  <p v-for="one in findings.unknown" :key="one.server + one.cause" class="faded unknown">Not looked for: {{ words(one.cause) }}, because {{ one.why }}.</p>
</template>

<style scoped>
.unknown {
  font-size: 12.5px;
  margin-bottom: 6px;
}
</style>
