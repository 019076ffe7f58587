<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

/** What the logs say: one line a shape of message, with a small histogram over the focus; rules that change how it is taken. */
type Shape = Schemas['Shape']
const SEVERITIES = ['error', 'warning', 'info'] as const
const TAKES = [
  { value: 'error', text: 'an error' },
  { value: 'warning', text: 'a warning' },
  { value: 'info', text: 'information' },
  { value: 'finding', text: 'a finding: tell of it' },
  { value: 'ignore', text: 'nothing: do not show it' },
]
const WIDTH = 150
const w = useWindow()
const severity = computed({ get: () => String(w.route.query.severity ?? ''), set: (value) => w.change({ severity: value || undefined, open: undefined }) })
const search = computed({ get: () => String(w.route.query.search ?? ''), set: (value) => w.change({ search: value || undefined }) })
const answer = useAnswer(
  () => ({ ...w.asked.value, severity: SEVERITIES.filter((one) => one === severity.value), search: search.value }),
  (query) => api.GET('/api/log', { params: { query } }),
  () => w.following.value,
)
const key = (row: Shape) => `${row.said} ${row.code} ${row.shape}`
const rows = computed(() => answer.data.value?.shapes ?? [])
const chosen = computed(() => rows.value.find((row) => key(row) === w.route.query.open) ?? null)
const choices = computed(() => [{ value: '', text: 'every severity' }, ...SEVERITIES.map((one) => ({ value: one, text: `${one} (${answer.data.value?.severities[one] ?? 0})` }))])
const COLUMNS: Column<Shape>[] = [
  { key: 'severity', title: 'severity', width: '84px', value: (row) => SEVERITIES.findIndex((one) => one === row.severity) },
  { key: 'shape', title: 'message', wide: true, value: (row) => row.shape },
  { key: 'where', title: 'server', width: '112px', value: (row) => row.servers.join(', ') },
  { key: 'count', title: 'count', unit: '', width: '84px', value: (row) => row.count },
  { key: 'over', title: 'over the focus', width: `${WIDTH + 12}px` },
  { key: 'last', title: 'last', width: '92px', value: (row) => row.last_us },
]
const parts = (shape: string) => shape.split(/(\$\d+|\?|…|<[^>]+>)/g).filter(Boolean)
const varies = (part: string) => /^(\$\d+|\?|…|<[^>]+>)$/.test(part)
const bar = (row: Shape, count: number) => (count / Math.max(...row.counts, 1)) * 18
const pattern = ref('')
const takes = ref<'error' | 'warning' | 'info' | 'ignore' | 'finding'>('ignore')
const { problem, busy, run, wrong } = useWork()
const save = () =>
  run(async () => {
    await answered(api.PUT('/api/log/rules', { body: { pattern: pattern.value, takes: takes.value } }))
    pattern.value = ''
    await answer.ask()
  })
const remove = (id: number) =>
  run(async () => {
    await answered(api.DELETE('/api/log/rules/{rule_id}', { params: { path: { rule_id: id } } }))
    await answer.ask()
  })
const open = (row: Shape) => w.change({ open: chosen.value && key(chosen.value) === key(row) ? undefined : key(row) })
const there = (name: string, row: Shape) => ({ name, query: { ...w.kept.value, scope: row.servers.length === 1 ? row.servers[0] : w.scope.value } })
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer" fill>
    <div class="tool-line">
      <BFormSelect v-model="severity" :options="choices" size="sm" aria-label="Severity" class="narrow" />
      <BFormInput v-model="search" debounce="250" size="sm" placeholder="deadlock" aria-label="Search the log" class="narrow" />
      <form class="form-line rule" @submit.prevent="save">
        <span class="faded">Take messages with</span>
        <BFormInput v-model="pattern" size="sm" placeholder="duplicate key" aria-label="Words of the message" maxlength="200" :state="wrong('pattern')" class="words" />
        <span class="faded">as</span>
        <BFormSelect v-model="takes" :options="TAKES" size="sm" aria-label="Taken as" class="takes" />
        <BButton size="sm" type="submit" variant="outline-secondary" :disabled="busy || !pattern.trim()">Save</BButton>
      </form>
    </div>
    <ProblemLine :problem="problem" />
    <p v-if="data.rules.length || data.ignored || data.unknown.length" class="faded mb-1">
      <span v-for="rule in data.rules" :key="rule.id" class="me-3"
        >“{{ rule.pattern }}” is taken as {{ rule.takes === 'ignore' ? 'nothing' : rule.takes === 'finding' ? 'a finding' : rule.takes }}
        <button type="button" class="btn btn-link btn-sm p-0" :aria-label="`Delete the rule ${rule.pattern}`" @click="remove(rule.id)">delete</button></span
      >
      <span v-if="data.ignored">{{ data.ignored }} messages are not shown. </span>
      <span v-if="data.unknown.length">Not known: {{ data.unknown.slice(0, 3).join('; ') }}{{ data.unknown.length > 3 ? ` and ${data.unknown.length - 3} more` : '' }}.</span>
    </p>
    <DataTable fill opens :rows="rows" :columns="COLUMNS" :row-key="key" :expanded="(row) => chosen !== null && key(chosen) === key(row)" @open="open">
      <template #severity="{ row }"
        ><span :class="{ act: row.severity === 'error', strong: row.severity !== 'info', faded: row.severity === 'info' }" :title="row.rule ? `the server says ${row.said}` : ''">{{
          row.severity
        }}</span></template
      >
      <template #shape="{ row }"
        ><span :title="`${row.code} ${row.shape}`"
          ><span v-for="(part, i) in parts(row.shape)" :key="i" :class="{ faded: varies(part) }">{{ part }}</span></span
        ></template
      >
      <template #where="{ row }">{{ row.servers.length === 1 ? row.servers[0] : `${row.servers.length} servers` }}</template>
      <template #over="{ row }">
        <svg :width="WIDTH" height="20" aria-hidden="true">
          <line class="base" x1="0" :x2="WIDTH" y1="19" y2="19" />
          <rect
            v-for="(count, i) in row.counts"
            :key="i"
            :x="(i / row.counts.length) * WIDTH"
            :y="19 - bar(row, count)"
            :width="WIDTH / row.counts.length - 0.4"
            :height="bar(row, count)"
            class="bar"
            :class="row.severity"
          />
        </svg>
      </template>
      <template #last="{ row }"
        ><span :title="day(row.last_us)">{{ day(row.last_us).split(' ')[0] }} {{ clock(row.last_us) }}</span></template
      >
      <template #below="{ row }">
        <p class="mb-1">
          {{ row.shape }} <span class="faded">{{ row.code }}</span>
        </p>
        <p class="mb-1 faded">
          {{ row.services.length ? `services ${row.services.join(', ')}` : 'no service known' }}; {{ row.users.length ? `users ${row.users.join(', ')}` : 'no user known' }}; first
          {{ day(row.first_us) }} {{ clock(row.first_us) }}
        </p>
        <p v-if="row.fingerprint" class="mb-1">
          While <SubjectLink kind="statement" :name="row.fingerprint" :server="row.servers[0]" class="sql">{{ row.text }}</SubjectLink> ran.
        </p>
        <pre v-if="row.detail" class="sql mb-1">{{ row.detail }}</pre>
        <p class="mb-0">
          <RouterLink :to="there('changes', row)">changes of this time</RouterLink>, <RouterLink :to="there('holdups', row)">holdups</RouterLink>,
          <button type="button" class="btn btn-link btn-sm p-0" @click="pattern = row.shape.slice(0, 120)">make a rule of it</button>
        </p>
      </template>
    </DataTable>
    <p v-if="!rows.length" class="faded mt-2">Messages stand here by their shape, the gravest first. Move the focus on the tape, or show other severities.</p>
    <p v-if="data.left_out" class="faded mb-0">{{ data.left_out }} rarer shapes are not listed; search for a word of them.</p>
  </AnswerSheet>
</template>

<style scoped>
.narrow {
  width: 150px;
}
.takes {
  width: 205px;
}
.words {
  width: 150px;
}
.rule {
  margin-left: auto;
}
.base {
  stroke: var(--rule-strong);
}
.bar {
  fill: var(--faded);
}
.bar.error {
  fill: var(--act);
}
.bar.warning {
  fill: var(--plan);
}
pre {
  white-space: pre-wrap;
}
</style>
