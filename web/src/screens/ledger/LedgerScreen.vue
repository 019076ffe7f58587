<script setup lang="ts">
import { BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { api } from '@/api/client'
import EntryTable from './EntryTable.vue'
import LoadStack from './LoadStack.vue'
import MosaicChart from '@/charts/MosaicChart.vue'
import ReferenceNote from '@/parts/ReferenceNote.vue'
import { duration, text } from '@/state/units'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import StateNote from '@/parts/StateNote.vue'
import { FAMILIES } from '@/state/families'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

const DIMENSIONS = { wait_family: 'wait family', wait_event: 'wait event', statement: 'statement', user: 'user', service: 'service', route: 'route', database: 'database', server: 'server' }
type Dimension = keyof typeof DIMENSIONS
const isDimension = (text: string): text is Dimension => text in DIMENSIONS

const w = useWindow()
/** A dimension as it stands in the address; two are never the same. */
const dimension = (name: 'by' | 'against', fallback: () => Dimension) => {
  const text = String(w.route.query[name] ?? '')
  return isDimension(text) ? text : fallback()
}
const by = computed({
  get: () => dimension('by', () => 'wait_family'),
  set: (value) => w.change({ by: value, against: value === against.value ? by.value : w.route.query.against }),
})
const against = computed({
  get: () => dimension('against', () => (by.value === 'statement' ? 'wait_family' : 'statement')),
  set: (value) => w.change({ against: value, by: value === by.value ? against.value : by.value }),
})
const options = Object.entries(DIMENSIONS).map(([value, text]) => ({ value, text }))
const filters = computed(() =>
  Object.entries(w.route.query).flatMap(([key, value]) => {
    const name = key.slice(7)
    return key.startsWith('filter.') && isDimension(name) ? [value].flat().map((one) => ({ dimension: name, value: String(one) })) : []
  }),
)
const asked = computed(() => {
  const values = (name: Dimension) => filters.value.filter((one) => one.dimension === name).map((one) => one.value)
  return {
    ...w.asked.value,
    by: by.value,
    against: against.value,
    'filter.statement': values('statement'),
    'filter.wait_family': values('wait_family'),
    'filter.wait_event': values('wait_event'),
    'filter.user': values('user'),
    'filter.service': values('service'),
    'filter.route': values('route'),
    'filter.database': values('database'),
    'filter.server': values('server'),
  }
})
const ledger = useAnswer(
  () => asked.value,
  (query) => api.GET('/api/ledger', { params: { query } }),
  () => w.following.value,
)
const order = computed(() => (by.value === 'wait_family' ? [...FAMILIES] : (ledger.data.value?.entries ?? []).map((entry) => entry.key)))
const label = (key: string) => ledger.data.value?.labels[key] ?? key
const add = (dimension: string, value: string) => w.change({ [`filter.${dimension}`]: value })
const remove = (dimension: string) => w.change({ [`filter.${dimension}`]: undefined })
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="ledger">
    <div class="tool-line">
      <span
        >Time of <b>{{ w.scope.value }}</b></span
      >
      <span v-for="f in filters" :key="f.dimension + f.value" class="word">
        of {{ DIMENSIONS[f.dimension] }} <b :title="label(f.value)">{{ label(f.value).slice(0, 46) }}</b>
        <button type="button" :aria-label="`Remove the filter ${DIMENSIONS[f.dimension]}`" @click="remove(f.dimension)">remove</button>
      </span>
      <span class="pick">by <BFormSelect v-model="by" :options="options" size="sm" aria-label="Entries by" /></span>
      <span class="pick">against <BFormSelect v-model="against" :options="options" size="sm" aria-label="Against" /></span>
      <span class="faded">{{ text(duration(data.seconds)) }} sampled; ± is a 95% margin</span>
    </div>
    <ReferenceNote :note="data.reference_note" />
    <StateNote v-if="!data.entries.length" :problem="null" :working="false" has empty />
    <template v-else>
      <LoadStack :ledger="data" :order="order" :title="`Active sessions by ${DIMENSIONS[by]}; the dashed line is ${w.referenceWords.value}`" :height="176" />
      <div class="cols two mt-2">
        <div>
          <h2 class="part"><span>Entries</span></h2>
          <EntryTable :entries="data.entries" :by="by" :order="order" :reference="w.referenceTitle.value" @pick="(key) => add(by, key)" />
        </div>
        <div>
          <h2 class="part">
            <span>{{ DIMENSIONS[by] }} within {{ DIMENSIONS[against] }}; area is time</span>
          </h2>
          <MosaicChart :mosaic="data.mosaic" :order="order" :labels="data.labels" :by="DIMENSIONS[by]" @pick="(_, column) => add(against, column)" />
        </div>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.tool-line :deep(select) {
  width: 126px;
}
.word button {
  border: 0;
  background: none;
  color: var(--petrol);
  padding: 0 2px;
  text-decoration: underline;
  font-size: 12px;
}
.two {
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
}
</style>
