<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput } from 'bootstrap-vue-next'
import { computed, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import AgeRule from './AgeRule.vue'
import EndSession from './EndSession.vue'
import ServersNow from './ServersNow.vue'
import { api, query as asText, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { useCopy } from '@/state/copy'
import { may } from '@/state/me'
import { useAnswer } from '@/state/fetching'
import { clock, duration, text } from '@/state/units'
import { useWindow } from '@/state/window'

/** What runs at this moment, refreshed each second; space holds the picture still. */
type Row = Schemas['SessionRow']
type Now = Schemas['Now']
const EACH_MS = 1000
const w = useWindow()
const held = ref(false)
const search = ref('')
const only = ref('')
const details = computed({ get: () => w.route.query.details !== 'no', set: (on) => w.change({ details: on ? undefined : 'no' }) })
const answer = useAnswer(
  () => ({ scope: w.scope.value, details: details.value }),
  (query) => api.GET('/api/now', { params: { query } }),
  () => !held.value,
  EACH_MS,
)
const shown = shallowRef<Now | null>(null)
watch(answer.data, (value) => (held.value && shown.value && shown.value.servers.length === value?.servers.length ? undefined : (shown.value = value)))
const still = { ...answer, data: shown }
const one = computed(() => (shown.value?.servers.length === 1 ? shown.value.servers[0]! : null))
const found = (row: Row) => `${row.session} ${row.user} ${row.service} ${row.database} ${row.client} ${row.text} ${row.wait_event}`.toLowerCase().includes(search.value.toLowerCase())
const rows = computed(() => (shown.value?.sessions ?? []).filter((row) => (!only.value || row.state === only.value) && found(row)))
const said = ref('')
/** The session that is about to be ended; the list goes on behind it. */
const ending = shallowRef<Row | null>(null)
const ended = (words: string) => {
  ending.value = null
  said.value = words
}
const ends = computed(() => !!shown.value?.may_end && may('engineer'))
const waiting = (row: Row) => (shown.value?.sessions ?? []).filter((other) => other.blockers.includes(row.session)).length
const bundle = computed(() => `/api/bundles/export?${asText({ scope: w.scope.value, focus: 'PT15M' })}`)
const COLUMNS = computed<Column<Row>[]>(() => [
  { key: 'session', title: 'session', width: '96px' },
  { key: 'who', title: 'service', width: '130px' },
  { key: 'state', title: 'does', width: '176px' },
  { key: 'age', title: '1 ms, 1 s, 1 min, 1 h, 1 day', width: '210px' },
  { key: 'call', title: 'for', unit: 's', width: '112px' },
  { key: 'text', title: 'statement', wide: true },
  { key: 'plan', title: 'plan', width: '56px' },
  ...(ends.value ? [{ key: 'end', title: '', width: '48px' }] : []),
])
const cell = (value: unknown) => (/[",\n]/.test(String(value ?? '')) ? `"${String(value).replaceAll('"', '""')}"` : String(value ?? ''))
const list = () =>
  [
    ['session', 'state', 'waits for', 'user', 'service', 'client', 'call in s', 'transaction in s', 'wait event', 'statement'],
    ...rows.value.map((row) => [row.session, row.state, row.blockers.join(' '), row.user, row.service, row.client, row.call_s, row.transaction_s, row.wait_event, row.text]),
  ]
    .map((line) => line.map(cell).join(','))
    .join('\r\n')
const { copied, copy } = useCopy(list)
function press(event: KeyboardEvent) {
  const target = event.target as HTMLElement
  if (event.key !== ' ' || /^(INPUT|TEXTAREA|SELECT|BUTTON|SUMMARY|A)$/.test(target.tagName)) return
  event.preventDefault()
  held.value = !held.value
}
onMounted(() => document.addEventListener('keydown', press))
onUnmounted(() => document.removeEventListener('keydown', press))
const open = (server: string) => w.change({ scope: server })
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="still" fill>
    <div class="tool-line">
      <BButton size="sm" variant="outline-secondary" :aria-pressed="held" data-test="hold" @click="held = !held">{{ held ? 'Go on' : 'Hold still' }}</BButton>
      <span class="faded" data-test="moment"
        >{{ one?.at_us ? `as seen at ${clock(one.at_us, true)}` : `at ${clock(data.now_us, true)}` }}{{ held ? ', held still' : ', each second' }}; space holds it</span
      >
      <template v-if="one">
        <span class="states">
          <button
            v-for="state in one.states"
            :key="state.name"
            type="button"
            :class="{ on: only === state.name }"
            :aria-pressed="only === state.name"
            @click="only = only === state.name ? '' : state.name"
          >
            <b class="figure">{{ state.count }}</b> {{ state.name }}
          </button>
          <span v-if="one.open !== null" class="faded"
            >{{ one.open }} open<template v-if="one.limit"> of {{ one.limit }}</template></span
          >
        </span>
        <BFormCheckbox v-model="details" size="sm">sessions</BFormCheckbox>
        <BFormInput v-model="search" size="sm" placeholder="returns" aria-label="Search the sessions" class="search" />
        <BButton size="sm" variant="outline-secondary" :disabled="!rows.length" @click="copy">{{ copied ? 'Copied' : 'Copy the list' }}</BButton>
        <a :href="bundle" download title="All that was recorded of the last quarter of an hour, as a bundle that opens anywhere" data-test="bundle">Save as bundle</a>
      </template>
    </div>
    <p v-if="said" class="mb-1" role="status">{{ said }}</p>
    <p v-if="one?.error" class="act mb-1">Not seen since: {{ one.error }}</p>
    <ServersNow v-if="!one" :servers="data.servers" :long="data.long_s" @open="open" />
    <template v-else-if="data.sessions">
      <DataTable fill :rows="rows" :columns="COLUMNS" :row-key="(row) => row.session">
        <template #session="{ row }"
          ><span class="thread" :style="{ width: `${Math.min(row.depth, 5) * 11}px` }" aria-hidden="true"></span><span class="figure">{{ row.session }}</span></template
        >
        <template #who="{ row }"
          ><span :title="[row.user, row.database, row.client, row.route].filter(Boolean).join(', ')">{{ row.service || row.user || 'not known' }}</span></template
        >
        <template #state="{ row }"
          ><span :class="{ faded: row.state === 'working' && !row.stage }" :title="row.object ? `${row.wait_event} of ${row.object}` : row.wait_event">{{ row.words }}</span></template
        >
        <template #age="{ row }"><AgeRule :call="row.call_s" :transaction="row.transaction_s" :family="row.wait_family" /></template>
        <template #call="{ row }">{{ row.call_s === null ? 'not reported' : text(duration(row.call_s)) }}</template>
        <template #plan="{ row }"><SubjectLink v-if="row.plan" kind="plan" :name="row.plan" :server="one.server">plan</SubjectLink><template v-else>&nbsp;</template></template>
        <template #end="{ row }"><button type="button" class="btn btn-link btn-sm p-0" :aria-label="`End session ${row.session}`" data-test="end" @click="ending = row">end</button></template>
        <template #text="{ row }">
          <SubjectLink v-if="row.fingerprint" kind="statement" :name="row.fingerprint" :server="one.server" class="sql" :title="row.text">{{ row.text }}</SubjectLink>
          <span v-else class="faded">no statement known</span>
        </template>
      </DataTable>
      <p v-if="!rows.length" class="faded mt-2">{{ data.sessions.length ? 'No session matches.' : 'No session works or waits at this moment.' }}</p>
      <p v-if="data.left_out" class="faded mb-0">{{ data.left_out }} more sessions are not listed.</p>
    </template>
    <p v-else class="faded">Counts only. Switch on "sessions" for the list.</p>
    <EndSession v-if="ending && one" :key="ending.session" :server="one.server" :row="ending" :waiting="waiting(ending)" @done="ended" @close="ending = null" />
  </AnswerSheet>
</template>

<style scoped>
.states {
  display: flex;
  gap: 10px;
}
.states button {
  border: 1px solid transparent;
  background: none;
  color: var(--ink);
  padding: 0 4px;
}
.states button.on {
  border-color: var(--brass);
}
.search {
  width: 120px;
}
.thread[style*='0px'] {
  border: 0;
  margin: 0;
}
</style>
