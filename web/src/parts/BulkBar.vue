<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { post, type Problem } from '@/api/client'

/** What can be done to the chosen servers together, all of them or none. */
const props = defineProps<{ servers: string[]; retired?: boolean }>()
const emit = defineEmits<{ done: [string] }>()
const busy = ref(false)
const problem = ref('')
const label = ref('')

async function act(said: string, path: string, body: object) {
  busy.value = true
  problem.value = ''
  try {
    await post(path, { servers: props.servers, ...body })
    label.value = ''
    emit('done', said)
  } catch (error) {
    problem.value = (error as Problem).detail
  } finally {
    busy.value = false
  }
}
const labels = () => label.value.split(',').map((one) => one.trim()).filter(Boolean)
</script>

<template>
  <span class="bulk" data-test="bulk">
    <b>{{ servers.length }} chosen:</b>
    <template v-if="!retired">
      <BButton size="sm" variant="outline-secondary" :disabled="busy" @click="act('Recording is paused.', 'rules/pause', { paused: true })">Pause recording</BButton>
      <BButton size="sm" variant="outline-secondary" :disabled="busy" @click="act('Recorded by the rules.', 'rules/pause', { paused: false })">Record by the rules</BButton>
      <BButton size="sm" variant="outline-secondary" :disabled="busy" @click="act('Snapshots were taken.', 'snapshots', {})">Snapshot</BButton>
      <form class="bulk" @submit.prevent="act('Labelled.', 'connections/labels', { add: labels() })"><BFormInput v-model="label" size="sm" placeholder="label" aria-label="Label to add" class="label" /><BButton type="submit" size="sm" variant="outline-secondary" :disabled="busy || !labels().length">Add label</BButton></form>
    </template>
    <BButton size="sm" variant="outline-secondary" :disabled="busy" @click="act(retired ? 'Brought back.' : 'Retired; bring them back under Setup.', 'connections/retire', { retired: !retired })">{{ retired ? 'Bring back' : 'Retire' }}</BButton>
    <span v-if="problem" class="act" role="alert">{{ problem }}</span>
  </span>
</template>

<style scoped>
.bulk { display: flex; gap: 8px; align-items: center; flex-wrap: wrap; font-size: 13px; }
.label { width: 100px; }
</style>
