<script setup lang="ts">
import { BButton, BFormTextarea } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api, AS_TEXT, type Schemas } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useWork } from '@/state/work'
import PlanBeside from './PlanBeside.vue'
import PlanSheet from './PlanSheet.vue'

const written = ref('')
const other = ref('')
const plan = ref<Schemas['PlanOut'] | null>(null)
const beside = ref<Schemas['PlanComparison'] | null>(null)
const { problem, run } = useWork()

const read = () =>
  run(async () => {
    plan.value = beside.value = null
    if (other.value.trim()) beside.value = await answered(api.POST('/api/plans/compare', { body: { first: written.value, second: other.value } }))
    plan.value = await answered(api.POST('/api/plans/read', { body: written.value, ...AS_TEXT }))
  })
</script>

<template>
  <div class="sheet">
    <p class="lead-sentence">{{ beside ? beside.sentence : plan ? plan.sentence : 'Open a plan from a statement, or read one here: where does its time go?' }}</p>
    <form class="mb-3" @submit.prevent="read">
      <BFormTextarea v-model="written" :rows="plan ? 3 : 10" class="sql" placeholder="A plan as JSON: of the probe protocol, of PostgreSQL, or SQLite's query plan rows" aria-label="Plan as JSON" />
      <BFormTextarea v-model="other" :rows="other || beside ? 3 : 1" class="sql mt-2" placeholder="A second plan, to see what changed" aria-label="Another plan, to compare with" />
      <div class="mt-2 d-flex gap-3 align-items-center">
        <BButton type="submit" size="sm" variant="primary" :disabled="!written.trim()">Read the plan</BButton>
        <span class="faded">Nothing is stored.</span>
        <ProblemLine :problem="problem" />
      </div>
    </form>
    <PlanBeside v-if="beside" class="mb-3" :plans="beside" />
    <PlanSheet v-if="plan" :plan="plan" />
  </div>
</template>
