<script setup lang="ts">
import { BButton, BFormTextarea } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api, AS_TEXT, type Schemas } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useWork } from '@/state/work'
import PlanSheet from './PlanSheet.vue'

const written = ref('')
const plan = ref<Schemas['PlanOut'] | null>(null)
const { problem, run } = useWork()

const read = () =>
  run(async () => {
    plan.value = null
    plan.value = await answered(api.POST('/api/plans/read', { body: written.value, ...AS_TEXT }))
  })
</script>

<template>
  <div class="sheet">
    <p class="lead-sentence">{{ plan ? plan.sentence : 'Open a plan from a statement, or read one here: where does its time go?' }}</p>
    <form class="mb-3" @submit.prevent="read">
      <BFormTextarea v-model="written" :rows="plan ? 3 : 10" class="sql" placeholder="A plan as JSON: of the probe protocol, of PostgreSQL, or SQLite's query plan rows" aria-label="Plan as JSON" />
      <div class="mt-2 d-flex gap-3 align-items-center">
        <BButton type="submit" size="sm" variant="primary" :disabled="!written.trim()">Read the plan</BButton>
        <span class="faded">Nothing is stored.</span>
        <ProblemLine :problem="problem" />
      </div>
    </form>
    <PlanSheet v-if="plan" :plan="plan" />
  </div>
</template>
