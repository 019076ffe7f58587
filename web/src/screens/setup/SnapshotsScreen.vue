<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import DurationInput from './DurationInput.vue'
import SameAsFile from './SameAsFile.vue'
import SetupTabs from './SetupTabs.vue'
import SnapshotDifference from './SnapshotDifference.vue'
import { useWork, words } from '@/state/work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

const w = useWindow()
const server = computed({ get: () => String(w.route.query.server ?? ''), set: (value) => w.change({ server: value || undefined, first: undefined, second: undefined }) })
const first = computed(() => Number(w.route.query.first) || null)
const second = computed(() => Number(w.route.query.second) || null)
const answer = useAnswer(
  () => ({ server: server.value }),
  (query) => api.GET('/api/snapshots', { params: { query } }),
)
const known = useAnswer(
  () => 'connections',
  () => api.GET('/api/connections'),
)
const schedule = useAnswer(
  () => 'schedule',
  () => api.GET('/api/snapshots/schedule'),
)
const { problem, busy, run, wrong } = useWork()
const note = ref('')
const said = ref('')
const places = ref('')
const every = ref(3600)
const days = ref(14)
const choices = computed(() => [{ value: '', text: 'all servers' }, ...(known.data.value?.connections ?? []).filter((one) => !one.retired && one.capture !== 'opened').map((one) => one.server)])
watch(schedule.data, (data) => {
  if (!data) return
  places.value = (data.applies_to ?? []).join(', ')
  every.value = data.every ?? 3600
  days.value = data.keep_days ?? 14
})
const choose = (which: 'first' | 'second', row: Schemas['SnapshotOut']) => {
  const other = answer.data.value?.snapshots.find((one) => one.id === (which === 'first' ? second.value : first.value))
  return w.change({ [which]: String(row.id), ...(other && other.server !== row.server && { [which === 'first' ? 'second' : 'first']: undefined }) })
}
const take = () =>
  run(async () => {
    const servers = server.value ? [server.value] : choices.value.slice(1).map((one) => String(one))
    const made = await answered(api.POST('/api/snapshots', { body: { servers, note: note.value } }))
    const missed = made.not_taken.map((one) => `${one.server}: ${one.why}`).join('; ')
    said.value = `${made.taken.length} taken${missed ? `; not of ${missed}` : ''}.`
    note.value = ''
    await answer.ask()
  })
const save = () =>
  run(async () => {
    await answered(api.PUT('/api/snapshots/schedule', { body: { applies_to: words(places.value), every: `${every.value} s`, keep_days: days.value } }))
    said.value = places.value ? 'The schedule is saved.' : 'Nothing is taken on schedule.'
    await schedule.ask()
  })
const drop = (id: number) =>
  run(async () => {
    await answered(api.DELETE('/api/snapshots/{snapshot_id}', { params: { path: { snapshot_id: id } } }))
    if ([first.value, second.value].includes(id)) await w.change({ first: undefined, second: undefined })
    await answer.ask()
  })
const COLUMNS: Column<Schemas['SnapshotOut']>[] = [
  { key: 'first', title: 'first' },
  { key: 'second', title: 'second' },
  { key: 'server', title: 'server', value: (row) => row.server },
  { key: 'taken', title: 'taken', value: (row) => row.taken_us },
  { key: 'why', title: 'by', value: (row) => row.why },
  { key: 'note', title: 'note', value: (row) => row.note },
  { key: 'act', title: '' },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.sentence }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <div class="form-line mb-2">
        <BFormSelect v-model="server" :options="choices" size="sm" class="short" aria-label="Server" />
        <BFormInput v-model="note" size="sm" class="note" placeholder="before the new release" aria-label="Note" />
        <BButton size="sm" variant="primary" :disabled="busy || choices.length < 2" data-test="snapshot-take" @click="take">Take a snapshot now</BButton>
        <span class="faded" role="status">{{ busy ? 'asking' : said }}</span>
      </div>
      <form class="form-line mb-2" @submit.prevent="save">
        <label for="snapshot-places">On schedule: of</label><BFormInput id="snapshot-places" v-model="places" size="sm" class="note" placeholder="fleet" :state="wrong('applies_to')" />
        <span>every</span><DurationInput v-model="every" label="Every" /> <span>kept</span
        ><BFormInput v-model.number="days" type="number" min="1" size="sm" class="days" aria-label="Days kept" :state="wrong('keep_days')" /><span>days</span>
        <BButton type="submit" size="sm" variant="outline-secondary" :disabled="busy" data-test="snapshot-schedule">Save</BButton>
      </form>
      <SameAsFile v-if="schedule.data.value" class="mb-3" :yaml="schedule.data.value.yaml" :command="schedule.data.value.command" />
      <ProblemLine :problem="problem" />
      <SnapshotDifference v-if="first && second && first !== second" :first="first" :second="second" />
      <div v-if="data.snapshots.length" data-test="snapshots">
        <DataTable :rows="data.snapshots" :columns="COLUMNS" :row-key="(row) => row.id">
          <template #first="{ row }"
            ><input type="radio" name="first" :checked="first === row.id" :aria-label="`First: ${row.server} ${clock(row.taken_us, true)}`" @change="choose('first', row)"
          /></template>
          <template #second="{ row }"
            ><input type="radio" name="second" :checked="second === row.id" :aria-label="`Second: ${row.server} ${clock(row.taken_us, true)}`" @change="choose('second', row)"
          /></template>
          <template #taken="{ row }"
            ><span class="figure">{{ day(row.taken_us) }} {{ clock(row.taken_us, true) }}</span></template
          >
          <template #act="{ row }"><BButton size="sm" variant="link" class="p-0" :disabled="busy" @click="drop(row.id)">Delete</BButton></template>
        </DataTable>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.short {
  width: 170px;
}
.note {
  width: 260px;
}
.days {
  width: 80px;
}
</style>
