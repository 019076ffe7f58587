<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { useWork } from '@/state/work'
import ProblemLine from './ProblemLine.vue'
import { answered, api } from '@/api/client'

/** What can be done to the chosen servers together, all of them or none. */
const props = defineProps<{ servers: string[]; retired?: boolean }>()
const emit = defineEmits<{ done: [string] }>()
const label = ref('')
const { problem, busy, run } = useWork()
const act = (said: string, job: () => Promise<unknown>) =>
  run(async () => {
    await job()
    label.value = ''
    emit('done', said)
  })

const pause = (paused: boolean) => act(paused ? 'Recording is paused.' : 'Recorded by the rules.', () => answered(api.POST('/api/capture-rules/pause', { body: { servers: props.servers, paused } })))
const snapshot = () => act('Snapshots were taken.', () => answered(api.POST('/api/snapshots', { body: { servers: props.servers, note: '' } })))
const addLabels = () => act('Labelled.', () => answered(api.POST('/api/connections/labels', { body: { servers: props.servers, add: labels(), remove: [] } })))
const retire = (retired: boolean) =>
  act(retired ? 'Retired; bring them back under Setup.' : 'Brought back.', () => answered(api.POST('/api/connections/retire', { body: { servers: props.servers, retired } })))
const labels = () =>
  label.value
    .split(',')
    .map((one) => one.trim())
    .filter(Boolean)
</script>

<template>
  <span class="bulk" data-test="bulk">
    <b>{{ servers.length }} chosen:</b>
    <template v-if="!retired">
      <BButton size="sm" variant="outline-secondary" :disabled="busy" @click="pause(true)">Pause recording</BButton>
      <BButton size="sm" variant="outline-secondary" :disabled="busy" @click="pause(false)">Record by the rules</BButton>
      <BButton size="sm" variant="outline-secondary" :disabled="busy" @click="snapshot">Snapshot</BButton>
      <form class="bulk" @submit.prevent="addLabels">
        <BFormInput v-model="label" size="sm" placeholder="label" aria-label="Label to add" class="label" /><BButton
          type="submit"
          size="sm"
          variant="outline-secondary"
          :disabled="busy || !labels().length"
          >Add label</BButton
        >
      </form>
    </template>
    <BButton size="sm" variant="outline-secondary" :disabled="busy" @click="retire(!props.retired)">{{ retired ? 'Bring back' : 'Retire' }}</BButton>
    <ProblemLine :problem="problem" />
  </span>
</template>

<style scoped>
.bulk {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
  font-size: 13px;
}
.label {
  width: 100px;
}
</style>
