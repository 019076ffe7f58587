<script setup lang="ts">
import { BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { api } from '@/api/client'
import EntryTable from './EntryTable.vue'
import LoadStack from './LoadStack.vue'
import MosaicChart from '@/charts/MosaicChart.vue'
import ReferenceNote from '@/parts/ReferenceNote.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import { duration, share, text } from '@/state/units'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import StateNote from '@/parts/StateNote.vue'
import { FAMILIES } from '@/state/families'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

const DIMENSIONS = {
  wait_family: 'wait family',
  wait_event: 'wait event',
  statement: 'statement',
  kind: 'kind of statement',
  object: 'object waited for',
  user: 'user',
  service: 'service',
  route: 'route',
  database: 'database',
  client: 'client host',
  session: 'session',
  server: 'server',
}
const MEASURES = {
  time: 'time',
  calls: 'calls',
  rows_returned: 'rows returned',
  rows_examined: 'rows examined',
  pages_read: 'pages read',
  pages_requested: 'pages requested',
  temporary_pages: 'temporary pages',
  log_bytes: 'log written',
}
type Measure = keyof typeof MEASURES
type Dimension = keyof typeof DIMENSIONS
const isDimension = (text: string): text is Dimension => text in DIMENSIONS

const w = useWindow()
/** A dimension as it stands in the address; two are never the same. */
const dimension = (name: 'by' | 'against', fallback: () => Dimension) => {
  const text = String(w.route.query[name] ?? '')
  return isDimension(text) ? text : fallback()
}
const measure = computed({
  get: () => (String(w.route.query.measure ?? '') in MEASURES ? (String(w.route.query.measure) as Measure) : 'time'),
  set: (value) => w.change(value === 'time' ? { measure: undefined } : { measure: value, ...fit(value) }),
})
const counted = computed<readonly string[]>(() => ledger.data.value?.counted ?? ['statement', 'user'])
/** What is counted by statement has fewer dimensions: the others are left for the first that there are. */
const fit = (value: Measure) => {
  if (value === 'time') return {}
  const first = counted.value.includes(by.value) ? by.value : 'statement'
  const second = counted.value.includes(against.value) && against.value !== first ? against.value : first === 'user' ? 'service' : 'user'
  const lost = filters.value.filter((one) => !counted.value.includes(one.dimension)).map((one) => [`${one.out ? 'without' : 'filter'}.${one.dimension}`, undefined])
  return { by: first, against: second, through: counted.value.includes(through.value) ? through.value : undefined, at: undefined, ...Object.fromEntries(lost) }
}
const by = computed({
  get: () => dimension('by', () => (measure.value === 'time' ? 'wait_family' : 'statement')),
  set: (value) => w.change({ by: value, against: value === against.value ? by.value : w.route.query.against, ...(value === through.value ? { through: undefined, at: undefined } : {}) }),
})
const against = computed({
  get: () => dimension('against', () => (measure.value !== 'time' ? (by.value === 'user' ? 'service' : 'user') : by.value === 'statement' ? 'wait_family' : 'statement')),
  set: (value) => w.change({ against: value, by: value === by.value ? against.value : by.value, ...(value === through.value ? { through: undefined, at: undefined } : {}) }),
})
const through = computed({
  get: () => {
    const given = String(w.route.query.through ?? '')
    return isDimension(given) && given !== by.value && given !== against.value ? given : ''
  },
  set: (value) => w.change({ through: value || undefined, at: undefined }),
})
const at = computed(() => (through.value ? String(w.route.query.at ?? '') : ''))
const known = computed(() => Object.entries(DIMENSIONS).filter(([value]) => measure.value === 'time' || counted.value.includes(value)))
const options = computed(() => known.value.map(([value, text]) => ({ value, text })))
const thirds = computed(() => [{ value: '', text: 'nothing more' }, ...options.value.filter((one) => one.value !== by.value && one.value !== against.value)])
const measures = Object.entries(MEASURES).map(([value, text]) => ({ value, text }))
const filters = computed(() =>
  Object.entries(w.route.query).flatMap(([key, value]) => {
    const [kind, name = ''] = key.split('.')
    return (kind === 'filter' || kind === 'without') && isDimension(name) ? [value].flat().map((one) => ({ dimension: name, value: String(one), out: kind === 'without' })) : []
  }),
)
const asked = computed(() => {
  const given = (out: boolean) =>
    Object.fromEntries(
      Object.keys(DIMENSIONS).map((name) => [`${out ? 'without' : 'filter'}.${name}`, filters.value.filter((one) => one.dimension === name && one.out === out).map((one) => one.value)]),
    )
  return { ...w.asked.value, by: by.value, against: against.value, through: through.value || undefined, at: at.value, measure: measure.value, ...given(false), ...given(true) }
})
const ledger = useAnswer(
  () => asked.value,
  (query) => api.GET('/api/ledger', { params: { query } }),
  () => w.following.value,
)
const order = computed(() => (by.value === 'wait_family' ? [...FAMILIES] : (ledger.data.value?.entries ?? []).map((entry) => entry.key)))
const label = (key: string) => ledger.data.value?.labels[key] ?? key
const named = (one: { dimension: string; value: string }) => ledger.data.value?.names[`${one.dimension}.${one.value}`] ?? label(one.value)
const left = (dimension: string, out: boolean) => filters.value.filter((one) => one.dimension === dimension && one.out === out).map((one) => one.value)
const add = (dimension: string, value: string) => w.change({ [`filter.${dimension}`]: value })
const without = (dimension: string, value: string) => w.change({ [`without.${dimension}`]: [...left(dimension, true), value] })
const remove = (one: { dimension: string; value: string; out: boolean }) => {
  const rest = left(one.dimension, one.out).filter((value) => value !== one.value)
  return w.change({ [`${one.out ? 'without' : 'filter'}.${one.dimension}`]: rest.length ? rest : undefined })
}
/** The map narrows to the cell that is clicked. */
const narrow = (row: string, column: string) => w.change({ [`filter.${by.value}`]: row, [`filter.${against.value}`]: column })
const steps = computed(() => ['', ...(ledger.data.value?.steps ?? []).map((one) => one.key)])
const step = (forward: number) => w.change({ at: steps.value[(Math.max(0, steps.value.indexOf(at.value)) + forward + steps.value.length) % steps.value.length] || undefined })
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="ledger">
    <div class="tool-line">
      <span
        >{{ measure === 'time' ? 'Time' : `${MEASURES[measure][0]!.toUpperCase()}${MEASURES[measure].slice(1)}` }} of <b>{{ w.scope.value }}</b></span
      >
      <span v-for="f in filters" :key="f.out + f.dimension + f.value" class="word">
        {{ f.out ? 'without' : 'of' }} {{ DIMENSIONS[f.dimension] }} <b :title="named(f)">{{ named(f).slice(0, 46) }}</b>
        <button type="button" :aria-label="`Remove the filter ${DIMENSIONS[f.dimension]}`" @click="remove(f)">remove</button>
      </span>
      <span class="pick">by <BFormSelect v-model="by" :options="options" size="sm" aria-label="Entries by" /></span>
      <span class="pick">against <BFormSelect v-model="against" :options="options" size="sm" aria-label="Against" /></span>
      <span class="pick">through <BFormSelect v-model="through" :options="thirds" size="sm" aria-label="Through" /></span>
      <span class="pick">in <BFormSelect v-model="measure" :options="measures" size="sm" aria-label="Measure" /></span>
      <span class="faded">{{ text(duration(data.seconds)) }} {{ measure === 'time' ? 'sampled; ± is a 95% margin' : `counted, in ${data.unit}` }}</span>
    </div>
    <div v-if="data.through && data.steps.length" class="tool-line steps" role="group" :aria-label="`Steps through ${DIMENSIONS[data.through]}`" data-test="steps">
      <button type="button" class="btn btn-sm btn-outline-secondary" aria-label="The step before" @click="step(-1)">before</button>
      <button type="button" class="btn btn-sm btn-outline-secondary" aria-label="The next step" data-test="next" @click="step(1)">next</button>
      <button type="button" :class="{ on: !at }" :aria-pressed="!at" @click="w.change({ at: undefined })">all</button>
      <button v-for="one in data.steps.slice(0, 14)" :key="one.key" type="button" :class="{ on: one.key === at }" :aria-pressed="one.key === at" :title="one.label" @click="w.change({ at: one.key })">
        {{ one.label.slice(0, 22) }} <span class="faded figure">{{ share(one.share) }}</span>
      </button>
      <span v-if="data.steps.length > 14" class="faded">{{ data.steps.length - 14 }} more by "next"</span>
    </div>
    <ReferenceNote :note="data.reference_note" />
    <p v-if="data.unknown.length" class="faded mb-1">Not known: {{ data.unknown.join('; ') }}.</p>
    <StateNote v-if="!data.entries.length" :problem="null" :working="false" has empty />
    <template v-else>
      <LoadStack
        :ledger="data"
        :order="order"
        :title="`${measure === 'time' ? 'Active sessions' : `${MEASURES[measure]}, ${data.unit},`} by ${DIMENSIONS[by]}; the dashed line is ${w.referenceWords.value}`"
        :height="176"
      />
      <div class="cols two mt-2">
        <div>
          <h2 class="part"><span>Entries</span></h2>
          <EntryTable
            :entries="data.entries"
            :by="by"
            :order="order"
            :reference="w.referenceTitle.value"
            :unit="data.unit"
            :title="measure === 'time' ? 'active sessions' : MEASURES[measure]"
            @pick="(key) => add(by, key)"
            @leave="(key) => without(by, key)"
          />
        </div>
        <div>
          <h2 class="part">
            <span
              >{{ DIMENSIONS[by] }} within {{ DIMENSIONS[against] }}<template v-if="data.through && !at">, split by {{ DIMENSIONS[data.through] }}</template
              >; area is {{ MEASURES[measure] }}</span
            >
          </h2>
          <MosaicChart :mosaic="data.mosaic" :order="order" :labels="data.labels" :by="DIMENSIONS[by]" @pick="narrow" />
          <p v-if="measure === 'time' && filters.length" class="mb-0 mt-2">
            Below it:
            <a v-if="by !== 'session'" href="#" data-test="sessions" @click.prevent="w.change({ by: 'session', against: against === 'session' ? 'statement' : against })">its sessions</a>
            <template v-for="f in filters.filter((one) => one.dimension === 'statement' && !one.out)" :key="f.value"
              >, <SubjectLink kind="statement" :name="f.value" :server="w.scope.value">executions and plans of the statement</SubjectLink></template
            >
          </p>
        </div>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.tool-line :deep(select) {
  width: 148px;
}
.word button {
  border: 0;
  background: none;
  color: var(--petrol);
  padding: 0 2px;
  text-decoration: underline;
  font-size: 12px;
}
.steps button:not(.btn) {
  border: 1px solid transparent;
  background: none;
  color: var(--ink);
  padding: 0 4px;
}
.steps button.on {
  border-color: var(--brass);
}
.two {
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
}
</style>
