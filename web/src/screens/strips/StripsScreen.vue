<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import AgainstNote from './AgainstNote.vue'
import SavedSets from './SavedSets.vue'
import { api, type Schemas } from '@/api/client'
import BandStrip from '@/charts/BandStrip.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { useWidth } from '@/state/width'
import { useWindow } from '@/state/window'

/** Chosen figures of any objects, stacked over one time axis; the last band is an empty one with a field to add to it. */
const w = useWindow()
const frame = ref<HTMLElement>()
const width = useWidth(frame)
const cursor = ref<number | null>(null)
const search = ref('')
const keys = computed(() => [w.route.query.band ?? []].flat().map(String))
const finding = computed(() => (w.route.query.finding && !keys.value.length ? Number(w.route.query.finding) : undefined))
const bars = computed({ get: () => w.route.query.drawn === 'bars', set: (on) => w.change({ drawn: on ? 'bars' : undefined }) })
const answer = useAnswer(
  () => ({ ...w.asked.value, band: keys.value, finding: finding.value }),
  (query) => api.GET('/api/strips', { params: { query } }),
  () => w.following.value,
)
const data = computed(() => answer.data.value)
const shown = computed(() => data.value?.bands.map((one) => one.key) ?? [])
const set = (bands: string[]) => w.change({ band: bands, finding: undefined })
const add = (key: string) => {
  search.value = ''
  return set([...shown.value, key])
}
const remove = (key: string) => set(shown.value.filter((one) => one !== key))
const raise = (key: string) => {
  const at = shown.value.indexOf(key)
  return at > 0 ? set(shown.value.map((one, i) => (i === at - 1 ? key : i === at ? shown.value[at - 1]! : one))) : undefined
}
const MOST = 14
const words = computed(() => search.value.toLowerCase().split(/\s+/).filter(Boolean))
const offered = computed(() => (data.value?.neighbours ?? []).filter((one) => words.value.every((word) => `${one.title} ${one.group}`.toLowerCase().includes(word))))
const height = computed(() => Math.max(64, Math.min(120, Math.floor(480 / Math.max(1, shown.value.length)))))
const title = (band: Schemas['Band']) => `${band.owner}: ${band.title}`
const there = (name: 'ledger' | 'statements' | 'holdups') => ({ name, query: { ...w.kept.value, ...(w.scope.value !== 'fleet' && { scope: w.scope.value }) } })
</script>

<template>
  <AnswerSheet v-slot="{ data: strips }" :answer="answer">
    <div class="tool-line">
      <SavedSets :bands="shown" @open="set" />
      <BFormCheckbox v-model="bars" size="sm">bars</BFormCheckbox>
      <span class="links faded"
        >This time in <RouterLink :to="there('ledger')">Ledger</RouterLink>, <RouterLink :to="there('statements')">Statements</RouterLink>,
        <RouterLink :to="there('holdups')">Holdups</RouterLink></span
      >
    </div>
    <div ref="frame">
      <div v-for="(band, i) in strips.bands" :key="band.key" class="band" data-test="band">
        <BandStrip
          :from="w.focus.value.from"
          :to="w.focus.value.to"
          :width="width"
          :height="height + (i === strips.bands.length - 1 ? 14 : 0)"
          :title="title(band)"
          :unit="band.unit"
          :at="strips.at_us"
          :step="strips.step_us"
          :values="band.values"
          :low="band.low"
          :high="band.high"
          :bars="bars"
          :marks="strips.changes"
          :findings="strips.findings"
          :cursor="cursor"
          :axis="i === strips.bands.length - 1"
          @cursor="(us) => (cursor = us)"
        />
        <span class="acts">
          <span v-if="band.missing" class="faded">{{ band.missing }}</span>
          <button v-if="i > 0" type="button" @click="raise(band.key)">up</button>
          <button type="button" @click="remove(band.key)">remove</button>
        </span>
      </div>
    </div>
    <div class="adding">
      <BFormInput v-model="search" size="sm" placeholder="log written" aria-label="Add a figure" class="search" data-test="add-figure" />
      <span class="faded">{{ offered.length }} figures beside these<template v-if="w.scope.value === 'fleet' && !strips.bands.length">; choose a server for all of its own</template></span>
      <div class="offers">
        <BButton v-for="one in offered.slice(0, MOST)" :key="one.key" size="sm" variant="outline-secondary" :title="one.key" @click="add(one.key)">{{ one.group }}: {{ one.title }}</BButton>
      </div>
    </div>
    <AgainstNote v-if="strips.bands.length > 1" :bands="strips.bands" />
  </AnswerSheet>
</template>

<style scoped>
.links {
  margin-left: auto;
}
.band {
  position: relative;
}
.acts {
  position: absolute;
  top: 0;
  right: 150px;
  display: flex;
  gap: 8px;
  font-size: 12px;
}
.acts button {
  border: 0;
  background: none;
  padding: 0;
  color: var(--petrol);
  text-decoration: underline;
}
.adding {
  display: flex;
  gap: 6px 12px;
  align-items: center;
  flex-wrap: wrap;
  font-size: 13px;
  border: 1px dashed var(--rule-strong);
  padding: 7px 10px;
  margin: 8px 0 0 62px;
}
.search {
  width: 180px;
}
.offers {
  display: flex;
  gap: 5px;
  flex-wrap: wrap;
  flex-basis: 100%;
}
.offers :deep(.btn) {
  font-size: 12px;
  padding: 1px 7px;
  max-width: 380px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
