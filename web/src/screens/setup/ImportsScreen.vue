<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { ref, watch, onUnmounted } from 'vue'
import { answered, api, AS_FILE, type Schemas } from '@/api/client'
import ImportLook from './ImportLook.vue'
import ImportTable from './ImportTable.vue'
import SetupTabs from './SetupTabs.vue'
import { useWork } from '@/state/work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useAnswer } from '@/state/fetching'

const EVERY_MS = 700
const answer = useAnswer(
  () => 'imports',
  () => api.GET('/api/imports'),
)
const one = (id: number) => ({ params: { path: { import_id: id } } })
const { problem, busy, run } = useWork()
const looked = ref<Schemas['LookOut'] | null>(null)
const running = ref<Schemas['ImportOut'] | null>(null)
const last = ref<Schemas['ImportOut'] | null>(null)
let timer = 0

const handIn = (event: Event) => {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (!file) return
  last.value = null
  return run(async () => {
    if (looked.value) await answered(api.DELETE('/api/imports/{import_id}', one(looked.value.id)))
    looked.value = null
    looked.value = await answered(api.POST('/api/imports', { ...AS_FILE, params: { query: { name: file.name } }, body: file as never }))
  }).finally(() => (input.value = ''))
}
const follow = async (id: number) => {
  running.value = await answered(api.GET('/api/imports/{import_id}', one(id)))
  if (running.value.state === 'running') {
    timer = window.setTimeout(() => run(() => follow(id)), EVERY_MS)
    return
  }
  last.value = running.value
  if (last.value.state === 'done') looked.value = null
  running.value = null
  await answer.ask()
}
const start = (id: number, body: Schemas['ImportRequest']) =>
  run(async () => {
    const made = await answered(api.POST('/api/imports/{import_id}/start', { ...one(id), body }))
    await follow(made.id)
  })
const stop = (id: number) => run(() => answered(api.POST('/api/imports/{import_id}/stop', one(id))))
const discard = (id: number) =>
  run(async () => {
    await answered(api.DELETE('/api/imports/{import_id}', one(id)))
    looked.value = null
  })
const undo = (id: number) =>
  run(async () => {
    await answered(api.DELETE('/api/imports/{import_id}', one(id)))
    last.value = null
    await answer.ask()
  })
watch(answer.data, (all) => {
  const going = all?.imports.find((row) => row.state === 'running')
  if (going && !running.value && !timer) run(() => follow(going.id))
})
onUnmounted(() => window.clearTimeout(timer))
const origin = globalThis.location?.origin ?? ''
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.sentence }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <h2 class="part"><span>Upload a file</span></h2>
      <p>
        <input type="file" class="form-control form-control-sm file" aria-label="File" :disabled="busy || !!running" data-test="import-file" @change="handIn" />
        <span class="faded">CSV, JSON Lines or Parquet of executions or of statements · OpenMetrics · OTLP JSON · plans · SQL files, or a ZIP of them</span>
      </p>
      <ProblemLine :problem="problem" />
      <p v-if="running" data-test="import-running">{{ running.name }}: {{ running.detail }} <BButton size="sm" variant="link" @click="stop(running.id)">Stop</BButton></p>
      <p v-else-if="last" :class="{ act: last.state === 'failed' }" role="status" data-test="import-said">
        {{ last.name }}: <template v-if="last.state === 'done'">{{ last.accepted.toLocaleString('en-GB') }} accepted, {{ last.rejected_count.toLocaleString('en-GB') }} rejected.</template>
        {{ last.detail }}
      </p>
      <ImportLook
        v-if="looked && !running"
        :key="looked.id"
        :look="looked"
        :busy="busy"
        :wrong="problem?.field ?? ''"
        @look="looked = $event"
        @start="start(looked.id, $event)"
        @discard="discard(looked.id)"
      />
      <ImportTable v-if="data.imports.length" :rows="data.imports" :open="last?.id ?? null" :busy="busy" @undo="undo" />
      <p class="faded small">
        A client of OpenTelemetry sends here with <code>OTEL_EXPORTER_OTLP_ENDPOINT={{ origin }}/api/otlp</code> and <code>OTEL_EXPORTER_OTLP_HEADERS=authorization=Bearer%20TOKEN</code>, an engineer's
        token; what one of them sends over a day is one import. From a shell: <code>hardy-gauge import run FILE --server NAME</code>.
      </p>
    </template>
  </AnswerSheet>
</template>

<style scoped>
p {
  font-size: 13px;
}
.file {
  display: inline-block;
  width: 380px;
  margin-right: 12px;
}
</style>
