<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useWork } from '@/state/work'
import { useWindow } from '@/state/window'

/** Note a deployment, other hardware, or anything that the product does not see itself. */
const emit = defineEmits<{ done: [] }>()
const KINDS = ['deployment', 'hardware', 'note'] as const
const w = useWindow()
const title = ref('')
const kind = ref<(typeof KINDS)[number]>('deployment')
const at = ref('')
const { problem, busy, run, wrong } = useWork()
const save = () =>
  run(async () => {
    const moment = at.value ? `${at.value}:00Z` : undefined
    await answered(api.POST('/api/changes', { body: { scope: w.scope.value, title: title.value, kind: kind.value, object: '', at: moment } }))
    title.value = at.value = ''
    emit('done')
  })
</script>

<template>
  <form class="form-line" data-test="note" @submit.prevent="save">
    <span class="faded">Note a</span>
    <BFormSelect v-model="kind" :options="[...KINDS]" size="sm" aria-label="Kind of change" class="kind" />
    <span class="faded">on {{ w.scope.value }}</span>
    <BFormInput v-model="title" size="sm" placeholder="loans service 4.2" aria-label="What changed" maxlength="200" :state="wrong('title')" />
    <BFormInput v-model="at" size="sm" type="datetime-local" aria-label="When, in UTC; now where it is left out" title="UTC; now where it is left out" class="at" :state="wrong('at')" />
    <BButton size="sm" type="submit" variant="outline-secondary" :disabled="busy || !title.trim()">Save</BButton>
  </form>
  <ProblemLine :problem="problem" />
</template>

<style scoped>
.kind {
  width: 120px;
}
.at {
  width: 190px;
}
</style>
