<script setup lang="ts">
import { computed } from 'vue'
import { api, type Schemas } from '@/api/client'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

/** Whether what a finding showed in is better since something was changed, and the way to the comparison. */
const props = defineProps<{ found: Schemas['FoundOn'] }>()
const w = useWindow()
const answer = useAnswer(
  () => ({ finding_id: props.found.id }),
  (path) => api.GET('/api/findings/{finding_id}/improvement', { params: { path } }),
  () => w.following.value,
)
const subject = computed(() => props.found.finding.subject)
const to = computed(() => {
  const known = answer.data.value
  if (!known?.focus || !known.reference) return null
  const query = { focus: known.focus, reference: known.reference }
  return subject.value.kind === 'statement'
    ? { name: 'statement', params: { fingerprint: subject.value.name }, query: { ...query, scope: props.found.server } }
    : { name: 'server', params: { server: props.found.server }, query }
})
</script>

<template>
  <p v-if="answer.data.value" class="better" data-test="improvement" :data-verdict="answer.data.value.verdict">
    <strong>Is it better now?</strong> {{ answer.data.value.sentence }}
    <RouterLink v-if="to" :to="to" data-test="compare">Compare both times</RouterLink>
  </p>
</template>

<style scoped>
.better {
  font-size: 13px;
  margin-bottom: 8px;
}
</style>
