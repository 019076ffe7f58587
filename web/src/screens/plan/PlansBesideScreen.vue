<script setup lang="ts">
import { computed } from 'vue'
import { api } from '@/api/client'
import PlanBeside from './PlanBeside.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import FigureText from '@/parts/FigureText.vue'
import SqlText from '@/parts/SqlText.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

/** Two plans that a server used for statements, beside each other. */
const w = useWindow()
const server = computed(() => String(w.route.params.server))
const answer = useAnswer(
  () => ({ path: { server: server.value, plan_key: String(w.route.params.plan), other: String(w.route.params.other) }, query: w.asked.value }),
  (params) => api.GET('/api/servers/{server}/plans/{plan_key}/against/{other}', { params }),
)
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.comparison.sentence }}</template>
    <template #default="{ data }">
      <SqlText :sql="data.first.source.text ?? ''" />
      <p v-for="(side, at) in [data.first, data.second]" :key="side.plan_key" class="mb-1 mt-1">
        {{ at ? 'Second' : 'First' }}:
        <SubjectLink kind="plan" :name="side.plan_key" :server="server"
          ><code>{{ side.plan_key.slice(0, 8) }}</code></SubjectLink
        >, taken {{ side.source.taken_us ? `${day(side.source.taken_us)} ${clock(side.source.taken_us)}` : 'at an unknown time' }},
        <template v-if="side.time_per_call_s !== null"><FigureText :value="side.time_per_call_s" unit="s" /> a call in {{ Math.round(side.calls).toLocaleString('en') }} calls of the focus</template>
        <span v-else class="faded">not used in the focus</span>
      </p>
      <PlanBeside class="mt-2" :plans="data.comparison" />
    </template>
  </AnswerSheet>
</template>
