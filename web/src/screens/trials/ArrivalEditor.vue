<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import type { Arrival } from './design'

defineProps<{ wrong: (field: string) => false | null }>()
/** How executions arrive: workers that follow themselves, or arrivals at random at a rate that nothing holds up. */
const arrival = defineModel<Arrival>({ required: true })
const KINDS = [
  { value: 'closed', text: 'workers, one execution after another' },
  { value: 'open', text: 'arrivals at random, at a rate' },
]
const PAUSES: Record<string, string> = { fixed: 'each time', uniform: 'at least' }
function become(kind: string) {
  const { workers } = arrival.value
  arrival.value = kind === 'open' ? { kind, rate: '50 /s', workers } : { kind, workers: workers ?? 2 }
}
const whole = (text: unknown) => (Number.parseInt(String(text)) > 0 ? Number.parseInt(String(text)) : undefined)
</script>

<template>
  <span v-if="arrival.kind === 'recorded'">{{ arrival.times?.length }} arrivals as recorded</span>
  <div v-else class="arrival">
    <BFormSelect :model-value="arrival.kind" :options="KINDS" size="sm" aria-label="How executions arrive" data-test="arrival" @update:model-value="(kind) => become(String(kind))" />
    <template v-if="arrival.kind === 'open'">
      <BFormInput v-model="arrival.rate" size="sm" class="short" aria-label="Arrivals a second" :state="wrong('workload.arrival.rate')" data-test="rate" />
      <span class="faded">on average; who finds all sessions busy waits</span>
    </template>
    <template v-else>
      <BFormInput
        :model-value="arrival.workers"
        type="number"
        min="1"
        max="500"
        size="sm"
        class="short"
        aria-label="Workers"
        :state="wrong('workload.arrival.workers')"
        @update:model-value="(text) => (arrival.workers = whole(text))"
      />
      <span class="faded">workers that pause</span>
      <BFormInput
        :model-value="arrival.think ?? '0 ms'"
        size="sm"
        class="short"
        aria-label="Pause between executions"
        :state="wrong('workload.arrival.think')"
        @update:model-value="(text) => (arrival.think = String(text))"
      />
      <span class="faded">{{ PAUSES[arrival.think_kind ?? ''] ?? 'on average' }}</span>
    </template>
  </div>
</template>

<style scoped>
.arrival {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 2px 0 4px;
}
.arrival select {
  width: 270px;
}
.short {
  width: 90px;
}
</style>
