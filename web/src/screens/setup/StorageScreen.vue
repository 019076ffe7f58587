<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import BackupPart from './BackupPart.vue'
import SameAsFile from './SameAsFile.vue'
import SetupTabs from './SetupTabs.vue'
import { useWork } from '@/state/work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import FigureText from '@/parts/FigureText.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'

const answer = useAnswer(
  () => 'storage',
  () => api.GET('/api/storage'),
)
const { problem, busy, run, wrong } = useWork()
const limits = ref<Schemas['Limits'] | null>(null)
const saved = ref(false)
const gigabytes = computed({
  get: () => (limits.value?.most_bytes ? String(limits.value.most_bytes / 1e9) : ''),
  set: (value) => (limits.value!.most_bytes = value === '' ? null : Math.round(Number(value) * 1e9)),
})
const KINDS = [
  ['sample', 'session samples'],
  ['execution', 'executions'],
  ['statement', 'statement intervals'],
  ['metric', 'figures of servers'],
  ['table', 'work on tables'],
  ['holder', 'idle in transactions'],
  ['message', 'log messages'],
  ['connection', 'open sessions'],
  ['index', 'work on indexes'],
  ['sequence', 'sequences'],
] as const
const days = (kind: (typeof KINDS)[number][0]) => `${kind}_days` as const
const prices = computed(() => [...(answer.data.value?.use.prices ?? [])].sort((a, b) => b.bytes_a_day - a.bytes_a_day))
watch(answer.data, (data) => data && !limits.value && (limits.value = { ...data.use.limits }))
const save = () =>
  run(async () => {
    saved.value = false
    if (limits.value) await answered(api.PUT('/api/storage/limits', { body: limits.value }))
    saved.value = true
    await answer.ask()
  })
const DAMAGED: Column<Schemas['DamagedOut']>[] = [
  { key: 'server', title: 'server', value: (one) => one.server },
  { key: 'kind', title: 'series', value: (one) => one.kind },
  { key: 'since', title: 'from', value: (one) => one.since_us },
  { key: 'rows', title: 'rows', unit: '', value: (one) => one.rows },
  { key: 'why', title: 'why', value: (one) => one.why },
]
const COLUMNS: Column<Schemas['Price']>[] = [
  { key: 'server', title: 'server', value: (one) => one.server },
  { key: 'bytes', title: 'stored a day', unit: 'B', bar: true, value: (one) => one.bytes_a_day },
  { key: 'requests', title: 'requests/s', unit: '', value: (one) => one.requests_per_s, missing: 'not yet' },
  { key: 'waited', title: 'waited for', unit: 'share', value: (one) => one.waited_share, missing: 'not yet' },
  { key: 'core', title: 'work here', unit: 'share', value: (one) => one.core_share, missing: 'not yet' },
  { key: 'there', title: 'work there', unit: 'share', value: (one) => one.server_share },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.use.sentence }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <div class="cols two">
        <section>
          <h2 class="part"><span>What recording costs, by server, over the last hour</span></h2>
          <DataTable :rows="prices" :columns="COLUMNS" :row-key="(one) => one.server" />
          <template v-if="data.use.damaged.length">
            <h2 class="part mt-3"><span>Damaged blocks, left out of every answer</span></h2>
            <DataTable :rows="data.use.damaged" :columns="DAMAGED" :row-key="(one) => `${one.server} ${one.kind} ${one.since_us}`">
              <template #since="{ row }"
                ><span class="figure">{{ day(row.since_us) }} {{ clock(row.since_us) }} to {{ clock(row.until_us) }}</span></template
              >
            </DataTable>
          </template>
          <p class="faded small mt-2">
            Requests to the server, the share of time spent waiting for its answers, what recording it takes of a core here, and, where the server counts it, what answering takes of a core there.
          </p>
        </section>
        <section>
          <h2 class="part">
            <span>How long it is kept</span><span><FigureText :value="data.use.used_bytes" unit="B" /> in all</span>
          </h2>
          <form v-if="limits" class="form-grid" @submit.prevent="save">
            <template v-for="[kind, words] in KINDS" :key="kind">
              <label :for="kind">{{ words }}</label>
              <div class="form-line">
                <BFormInput :id="kind" v-model.number="limits[days(kind)]" type="number" min="1" size="sm" class="short" :state="wrong(days(kind))" /> days
                <span class="faded"><FigureText :value="data.use.by_kind[kind] ?? 0" unit="B" /></span>
              </div>
            </template>
            <label for="size">at most</label>
            <div class="form-line"><BFormInput id="size" v-model="gigabytes" type="number" min="0.01" step="any" size="sm" class="short" placeholder="no limit" :state="wrong('most_bytes')" /> GB</div>
            <span></span>
            <BFormCheckbox v-model="limits.make_room">drop the oldest samples and executions before the limit, instead of recording nothing new at it</BFormCheckbox>
            <span></span>
            <div class="form-line">
              <BButton type="submit" size="sm" variant="primary" :disabled="busy">Save</BButton><span v-if="saved" class="faded">saved; cleaned up within ten minutes</span
              ><ProblemLine :problem="problem" />
            </div>
          </form>
          <BackupPart :storage="data" @changed="answer.ask()" />
          <SameAsFile class="mt-3" :yaml="data.yaml" :command="data.command" />
        </section>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.two {
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  align-items: start;
}
.form-grid {
  grid-template-columns: 130px minmax(0, 1fr);
}
.short {
  width: 100px;
}
</style>
