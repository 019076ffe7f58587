<script setup lang="ts">
import { BFormInput } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { textOf } from '@/state/span'
import { clock, day, duration, text } from '@/state/units'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

/** Jobs that come back by the calendar: their usual time and length, whether the last one was as usual; named or dismissed by people. */
type Job = Schemas['JobRow']
const HOUR = 3600e6
const w = useWindow()
const zone = computed({ get: () => String(w.route.query.zone ?? 'UTC'), set: (value) => w.change({ zone: value === 'UTC' || !value ? undefined : value }) })
const here = Intl.DateTimeFormat().resolvedOptions().timeZone
const answer = useAnswer(
  () => ({ scope: w.scope.value, zone: zone.value }),
  (query) => api.GET('/api/recurrences', { params: { query } }),
)
const { problem, run } = useWork()
const say = (job: Job, name: string, dismissed: boolean) =>
  run(async () => {
    await answered(api.PUT('/api/recurrences/{server}/{fingerprint}', { params: { path: { server: job.server, fingerprint: job.fingerprint } }, body: { name, dismissed } }))
    await answer.ask()
  })
const last = (job: Job) => ({ name: 'ledger', query: { scope: job.server, focus: textOf({ from: job.last_us - HOUR / 2, to: job.last_us + job.last_s * 1e6 + HOUR / 2 }) } })
const COLUMNS: Column<Job>[] = [
  { key: 'name', title: 'name', width: '150px', value: (one) => one.name },
  { key: 'text', title: 'job', wide: true, value: (one) => one.text },
  { key: 'server', title: 'server', width: '88px', value: (one) => one.server },
  { key: 'words', title: 'comes back', width: '190px', value: (one) => one.words },
  { key: 'length', title: 'takes', unit: 's', width: '84px', value: (one) => one.length_s },
  { key: 'load', title: 'sessions', unit: '', width: '74px', value: (one) => one.active_sessions },
  { key: 'seen', title: 'seen', unit: '', width: '64px', value: (one) => one.hits },
  { key: 'last', title: 'last', width: '112px', value: (one) => one.last_us },
  { key: 'state', title: 'which was', width: '128px', value: (one) => one.state },
  { key: 'acts', title: '', width: '70px' },
]
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer" fill>
    <div class="tool-line">
      <label for="zone" class="faded">Local time of</label>
      <BFormInput id="zone" v-model="zone" debounce="500" size="sm" placeholder="Europe/Dublin" class="zone" />
      <button v-if="here && here !== zone" type="button" class="btn btn-link btn-sm p-0" @click="zone = here">{{ here }}</button>
      <span class="faded">learnt from {{ Math.round(data.looked_days) }} days; a job is what runs in less than a fifth of the minutes</span>
    </div>
    <ProblemLine :problem="problem" />
    <p v-if="data.unknown.length" class="faded mb-1">Not known: {{ data.unknown.slice(0, 4).join('; ') }}.</p>
    <DataTable v-if="data.jobs.length" fill :rows="data.jobs" :columns="COLUMNS" :row-key="(one) => one.server + one.fingerprint" :marked="(one) => (one.dismissed ? 'dismissed' : '')">
      <template #name="{ row }"
        ><input
          :value="row.name"
          class="form-control form-control-sm"
          placeholder="overdue notices"
          :aria-label="`Name of the job on ${row.server}`"
          maxlength="80"
          @change="say(row, ($event.target as HTMLInputElement).value, row.dismissed)"
      /></template>
      <template #text="{ row }"
        ><SubjectLink kind="statement" :name="row.fingerprint" :server="row.server" class="sql" :title="row.text">{{ row.text }}</SubjectLink></template
      >
      <template #server="{ row }"><SubjectLink kind="server" :name="row.server" /></template>
      <template #words="{ row }"
        ><span :title="`within ${text(duration(row.spread_s))}, next ${day(row.next_us)} ${clock(row.next_us)} UTC${row.missed.length ? `; missed on ${row.missed.join(', ')}` : ''}`"
          >{{ row.words }} at {{ row.clock }}</span
        ></template
      >
      <template #length="{ row }"
        ><span :title="`nine of ten within ${text(duration(row.longest_s))}`">{{ text(duration(row.length_s)) }}</span></template
      >
      <template #seen="{ row }"
        >{{ row.hits }}<span v-if="row.missed.length" class="unit">−{{ row.missed.length }}</span></template
      >
      <template #last="{ row }"
        ><RouterLink :to="last(row)">{{ day(row.last_us).split(' ').slice(0, 2).join(' ') }} {{ clock(row.last_us) }}</RouterLink></template
      >
      <template #state="{ row }"
        ><span :class="row.odd ? 'act' : 'faded'">{{ row.state }}</span></template
      >
      <template #acts="{ row }"
        ><button type="button" class="btn btn-link btn-sm p-0" @click="say(row, row.name, !row.dismissed)">{{ row.dismissed ? 'take up' : 'dismiss' }}</button></template
      >
    </DataTable>
    <p v-else class="faded">Nightly, weekly and monthly jobs stand here once they were seen often enough: daily ones five times, others three.</p>
  </AnswerSheet>
</template>

<style scoped>
.zone {
  width: 170px;
}
.form-control {
  padding: 0 4px;
  min-height: 22px;
}
:deep(.dismissed td) {
  background: var(--usual);
  color: var(--faded);
}
</style>
