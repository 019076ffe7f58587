<script setup lang="ts">
import type { ArmPlans } from './design'

/** Statements that an arm plans otherwise than the first, each with its two plans to be seen beside each other. */
defineProps<{ plans: ArmPlans; trial: number; statements: { sql: string }[] }>()
const asked = (plans: ArmPlans, arm: string) => ({ first: plans.first, second: arm })
</script>

<template>
  <h2 class="part mt-2"><span>Plans</span></h2>
  <p class="mb-1" data-test="arm-plans">{{ plans.sentence }}</p>
  <p v-for="one in plans.other" :key="`${one.statement} ${one.arm}`" class="mb-1">
    <RouterLink :to="{ name: 'trial-plans', params: { id: trial, statement: one.statement }, query: asked(plans, one.arm) }">{{ plans.first }} beside {{ one.arm }}</RouterLink
    >: {{ one.sentence }} <code class="faded" :title="statements[one.statement]?.sql">{{ statements[one.statement]?.sql.replace(/\s+/g, ' ').slice(0, 60) }}…</code>
  </p>
</template>
