<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { post, put, query, remove, type Schemas } from '@/api/client'
import DurationInput from './DurationInput.vue'
import SameAsFile from './SameAsFile.vue'
import SetupTabs from './SetupTabs.vue'
import SnapshotDifference from './SnapshotDifference.vue'
import { useWork, words } from './work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

const w = useWindow()
const server = computed({ get: () => String(w.route.query.server ?? ''), set: (value) => w.change({ server: value || undefined, first: undefined, second: undefined }) })
const first = computed(() => Number(w.route.query.first) || null)
const second = computed(() => Number(w.route.query.second) || null)
const answer = useAnswer<Schemas['SnapshotOut'][]>(() => `snapshots?${query({ server: server.value })}`)
const known = useAnswer<Schemas['Connections']>(() => 'connections')
const schedule = useAnswer<Schemas['ScheduleOut']>(() => 'snapshots/schedule')
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
  const other = answer.data.value?.find((one) => one.id === (which === 'first' ? second.value : first.value))
  return w.change({ [which]: String(row.id), ...(other && other.server !== row.server && { [which === 'first' ? 'second' : 'first']: undefined }) })
}
const take = () => run(async () => {
  const servers = server.value ? [server.value] : choices.value.slice(1).map((one) => String(one))
  const made = await post<Schemas['TakenOut']>('snapshots', { servers, note: note.value })
  const missed = made.not_taken.map((one) => `${one.server}: ${one.why}`).join('; ')
  said.value = `${made.taken.length} taken${missed ? `; not of ${missed}` : ''}.`
  note.value = ''
  await answer.ask()
})
const save = () => run(async () => {
  await put('snapshots/schedule', { applies_to: words(places.value), every: `${every.value} s`, keep_days: days.value })
  said.value = places.value ? 'The schedule is followed from now on.' : 'Nothing is taken on schedule.'
  await schedule.ask()
})
const takeOut = (id: number) => run(async () => {
  await remove(`snapshots/${id}`)
  if ([first.value, second.value].includes(id)) await w.change({ first: undefined, second: undefined })
  await answer.ask()
})
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.length ? `${data.length} snapshot${data.length > 1 ? 's' : ''} on file; choose two of one server to see what was done between them.` : 'A snapshot keeps all that a server counts at one moment; two of them tell exactly what was done between.' }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <div class="form-line mb-2">
        <BFormSelect v-model="server" :options="choices" size="sm" class="short" aria-label="Server" />
        <BFormInput v-model="note" size="sm" class="note" placeholder="before the new release" aria-label="Note" />
        <BButton size="sm" variant="primary" :disabled="busy || choices.length < 2" data-test="snapshot-take" @click="take">Take a snapshot now</BButton>
        <span class="faded" role="status">{{ busy ? 'asking' : said }}</span>
      </div>
      <form class="form-line mb-2" @submit.prevent="save">
        <label for="snapshot-places">On schedule: of</label><BFormInput id="snapshot-places" v-model="places" size="sm" class="note" placeholder="fleet, clusters, servers or labels; nowhere" :state="wrong('applies_to')" />
        <span>every</span><DurationInput v-model="every" label="Every" />
        <span>kept</span><BFormInput v-model.number="days" type="number" min="1" size="sm" class="days" aria-label="Days kept" :state="wrong('keep_days')" /><span>days</span>
        <BButton type="submit" size="sm" variant="outline-secondary" :disabled="busy" data-test="snapshot-schedule">Follow</BButton>
      </form>
      <SameAsFile v-if="schedule.data.value" class="mb-3" :yaml="schedule.data.value.yaml" :command="schedule.data.value.command" />
      <p v-if="problem" class="act" role="alert">{{ problem.title }}. {{ problem.detail }}</p>
      <SnapshotDifference v-if="first && second && first !== second" :first="first" :second="second" />
      <table v-if="data.length" class="ruled" data-test="snapshots">
        <thead><tr><th>first</th><th>second</th><th>server</th><th>taken</th><th>by</th><th>note</th><th></th></tr></thead>
        <tbody>
          <tr v-for="row in data" :key="row.id">
            <td><input type="radio" name="first" :checked="first === row.id" :aria-label="`First: ${row.server} ${clock(row.taken_us, true)}`" @change="choose('first', row)" /></td>
            <td><input type="radio" name="second" :checked="second === row.id" :aria-label="`Second: ${row.server} ${clock(row.taken_us, true)}`" @change="choose('second', row)" /></td>
            <td>{{ row.server }}</td>
            <td class="figure">{{ day(row.taken_us) }} {{ clock(row.taken_us, true) }}</td>
            <td>{{ row.why }}</td>
            <td>{{ row.note }}</td>
            <td class="text-end"><BButton size="sm" variant="link" class="p-0" :disabled="busy" @click="takeOut(row.id)">Take out</BButton></td>
          </tr>
        </tbody>
      </table>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.short { width: 170px; }
.note { width: 260px; }
.days { width: 80px; }
</style>
