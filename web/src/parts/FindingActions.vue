<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import ProblemLine from './ProblemLine.vue'
import { useWork } from '@/state/work'

/** What a person says of a finding: note taken, set aside with a reason, taken up again; and the article behind it. */
const props = defineProps<{ found: Schemas['FoundOn'] }>()
const emit = defineEmits<{ done: [] }>()
const { problem, busy, run } = useWork()
const asking = ref(false)
const reason = ref('')
const path = () => ({ params: { path: { finding_id: props.found.id } } })

async function act(job: () => Promise<unknown>) {
  if (await run(job)) {
    asking.value = false
    reason.value = ''
    emit('done')
  }
}
const note = () => act(() => answered(api.POST('/api/findings/{finding_id}/note', path())))
const aside = () => act(() => answered(api.POST('/api/findings/{finding_id}/aside', { ...path(), body: { reason: reason.value } })))
const takeUp = () => act(() => answered(api.DELETE('/api/findings/{finding_id}/aside', path())))
</script>

<template>
  <div class="actions">
    <template v-if="found.state !== 'over'">
      <BButton v-if="found.state === 'noted' || found.state === 'set aside'" size="sm" variant="outline-secondary" :disabled="busy" data-test="take-up" @click="takeUp">Take up again</BButton>
      <template v-else>
        <BButton size="sm" variant="outline-secondary" :disabled="busy" data-test="note" @click="note">Take note</BButton>
        <BButton size="sm" variant="outline-secondary" :disabled="busy" :aria-expanded="asking" data-test="aside" @click="asking = !asking">Set aside</BButton>
      </template>
    </template>
    <form v-if="asking" class="why" @submit.prevent="aside">
      <BFormInput v-model="reason" size="sm" placeholder="meant to be so until the move in May" aria-label="Why it is set aside" autofocus />
      <BButton size="sm" variant="primary" type="submit" :disabled="busy || !reason.trim()">Set aside until it grows by half</BButton>
    </form>
    <ProblemLine :problem="problem" />
  </div>
</template>

<style scoped>
.actions {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
  align-items: center;
}
.why {
  display: flex;
  gap: 8px;
  flex: 1 1 380px;
}
.why .btn {
  flex: none;
}
</style>
