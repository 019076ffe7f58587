<script setup lang="ts">
import { BButton, BFormTextarea } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { post, Problem, type Schemas } from '@/api/client'
import PlanSheet from './PlanSheet.vue'

const written = ref('')
const plan = ref<Schemas['PlanOut'] | null>(null)
const problem = ref<Problem | null>(null)

async function read() {
  problem.value = null
  try {
    plan.value = await post<Schemas['PlanOut']>('plans/read', written.value, 'text/plain')
  } catch (error) {
    plan.value = null
    problem.value = error as Problem
  }
}
</script>

<template>
  <div class="sheet">
    <p class="lead-sentence">{{ plan ? plan.sentence : 'Open a plan from a statement, or read one here: where does its time go?' }}</p>
    <form class="mb-3" @submit.prevent="read">
      <BFormTextarea v-model="written" :rows="plan ? 3 : 10" class="sql" placeholder="A plan as JSON: of the probe protocol, of PostgreSQL, or SQLite's query plan rows" aria-label="Plan as JSON" />
      <div class="mt-2 d-flex gap-3 align-items-center">
        <BButton type="submit" size="sm" variant="primary" :disabled="!written.trim()">Read the plan</BButton>
        <span class="faded">Nothing is stored.</span>
        <span v-if="problem" class="act" role="alert">{{ problem.title }}: {{ problem.detail }}</span>
      </div>
    </form>
    <PlanSheet v-if="plan" :plan="plan" />
  </div>
</template>
