<script setup lang="ts">
import { computed } from 'vue'
import { api } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import SqlText from '@/parts/SqlText.vue'
import PlanBeside from '@/screens/plan/PlanBeside.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

/** The plans that two arms of a trial have for one statement of its workload. */
const w = useWindow()
const asked = computed(() => ({
  path: { trial_id: Number(w.route.params.id), statement: Number(w.route.params.statement) },
  query: { first: String(w.route.query.first ?? ''), second: String(w.route.query.second ?? '') },
}))
const answer = useAnswer(
  () => asked.value,
  (params) => api.GET('/api/trials/{trial_id}/plans/{statement}', { params }),
)
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.comparison.sentence }}</template>
    <template #default="{ data }">
      <p class="mb-1">
        <RouterLink :to="{ name: 'trial', params: { id: asked.path.trial_id } }">Trial {{ asked.path.trial_id }}</RouterLink
        >, statement {{ asked.path.statement }}:
      </p>
      <SqlText :sql="data.sql" />
      <PlanBeside class="mt-2" :plans="data.comparison" :first="data.first" :second="data.second" />
    </template>
  </AnswerSheet>
</template>
