<script setup lang="ts">
import { BButton, BFormTextarea } from 'bootstrap-vue-next'
import { ref, watch } from 'vue'
import { parse } from 'yaml'
import { answered, api, Problem, type Schemas } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

/** A trial of any kind from its file: what it would do is said before it is started. */
const props = defineProps<{ initial?: string }>()
const w = useWindow()
const written = ref(props.initial ?? '')
const plan = ref<Schemas['TrialPlan'] | null>(null)
const { problem, busy, run } = useWork()
watch(written, () => (plan.value = null))
const take = async (event: Event) => {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file) written.value = await file.text()
}
const wrong = (detail: string) => new Problem('This is no trial', detail, 'file', 0)
const read = () => {
  let document: unknown
  try {
    document = parse(written.value)
  } catch (error) {
    throw wrong((error as Error).message.split('\n')[0] ?? '')
  }
  if (typeof document !== 'object' || document === null || Array.isArray(document)) throw wrong('A file of a trial begins with its kind or its title.')
  return document as Record<string, unknown>
}
const look = () => run(async () => (plan.value = await answered(api.POST('/api/trials/plan', { body: read() }))))
const start = () =>
  run(async () => {
    const made = await answered(api.POST('/api/trials', { body: read() }))
    await w.router.push({ name: 'trial', params: { id: made.id }, query: w.kept.value })
  })
</script>

<template>
  <form @submit.prevent="look">
    <label for="trial-file">A trial as a file, of any kind</label>
    <BFormTextarea
      id="trial-file"
      v-model="written"
      class="sql"
      :rows="written ? 14 : 4"
      placeholder="kind: sweep
title: Memory of a sort
sweep: {setting: work_mem, values: [64kB, 1MB, 16MB]}"
      data-test="trial-file"
    />
    <div class="line mt-2">
      <BButton type="submit" size="sm" variant="outline-secondary" :disabled="!written.trim() || busy" data-test="look-at-plan">What would it do</BButton>
      <input type="file" accept=".yaml,.yml" class="form-control form-control-sm w-auto" aria-label="File of a trial" @change="take" />
    </div>
    <ProblemLine :problem="problem" />
    <div v-if="plan" class="mt-2" data-test="trial-plan">
      <p class="mb-1">{{ plan.sentence }}</p>
      <p v-for="(changes, arm) in plan.arms" :key="arm" class="mb-0">
        <b>{{ arm }}</b>: {{ changes }}
      </p>
      <p v-for="caution in plan.cautions" :key="caution" class="act mb-0">{{ caution }}.</p>
      <BButton class="mt-2" variant="primary" :disabled="busy" data-test="start-file" @click="start">{{ busy ? 'Checking' : 'Start the trial' }}</BButton>
    </div>
  </form>
</template>

<style scoped>
.line {
  display: flex;
  gap: 10px;
  align-items: center;
}
form {
  max-width: 900px;
}
</style>
