<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { api } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import FindingActions from '@/parts/FindingActions.vue'
import FindingNote from '@/parts/FindingNote.vue'
import GradeGlyph from '@/parts/GradeGlyph.vue'
import ImprovementNote from '@/parts/ImprovementNote.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import UnknownNote from '@/parts/UnknownNote.vue'
import PastDiagnosis from './PastDiagnosis.vue'
import { COLUMNS, FIRST, follows, SHOWN, type Found } from './columns'
import { useAnswer } from '@/state/fetching'
import { rankOf } from '@/state/grades'
import { clock, day } from '@/state/units'
import { now, useWindow } from '@/state/window'

const STATES = [
  { value: 'open', text: 'open' },
  { value: 'new', text: 'new or back' },
  { value: 'noted', text: 'noted' },
  { value: 'aside', text: 'set aside' },
  { value: 'over', text: 'over' },
  { value: 'all', text: 'all' },
]
const GRADES = [
  { value: 'note', text: 'every grade' },
  { value: 'plan', text: 'plan and act' },
  { value: 'act', text: 'act only' },
]
const w = useWindow()
const answer = useAnswer(
  () => w.asked.value,
  (query) => api.GET('/api/findings', { params: { query } }),
  () => w.following.value,
)
const kept = (name: string, first: () => string) => computed({ get: () => String(w.route.query[name] ?? first()), set: (value: string) => w.change({ [name]: value === first() ? undefined : value }) })
/** Of a time that is past all that stood then, though it is over by now. */
const state = kept('state', () => (w.following.value ? 'open' : 'all'))
const grade = kept('grade', () => 'plan')
const search = kept('search', () => '')
const order = computed(() => (w.route.query.sort ? String(w.route.query.sort) : undefined))
const today = computed(() => day(now.value))
const all = computed(() => answer.data.value?.findings ?? [])
const held = (one: Found) => `${one.finding.title} ${one.finding.cause.replaceAll('_', ' ')} ${one.server} ${one.cluster} ${one.finding.subject.text}`.toLowerCase()
const rows = computed(() =>
  all.value.filter((one) => !one.finding.root && (SHOWN[state.value] ?? SHOWN.open)!(one) && rankOf(one.finding.grade) >= rankOf(grade.value) && held(one).includes(search.value.toLowerCase())),
)
const chosen = computed(() => {
  const wanted = Number(w.route.query.open ?? 0)
  return all.value.find((one) => one.id === wanted) ?? rows.value[0]
})
const after = computed(() => (chosen.value ? follows(all.value, chosen.value) : []))
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer" fill>
    <div class="cols two">
      <div class="list">
        <PastDiagnosis @done="answer.ask" />
        <DataTable
          name="findings"
          :fill="rows.length > 0"
          opens
          :rows="rows"
          :columns="COLUMNS"
          :first="FIRST"
          :row-key="(one) => one.id"
          :chosen="chosen?.id"
          :sort="order"
          @sort="(key) => w.change({ sort: key })"
          @open="(one) => w.change({ open: String(one.id) })"
        >
          <BFormInput v-model="search" size="sm" placeholder="lock, desk, loan" aria-label="Search findings" class="search" />
          <BFormSelect v-model="state" :options="STATES" size="sm" class="state" aria-label="Which findings" />
          <BFormSelect v-model="grade" :options="GRADES" size="sm" class="state" aria-label="From which grade" />
          <span class="faded">{{ rows.length }} shown</span>
          <template #grade="{ row }"><GradeGlyph :grade="row.finding.grade" /></template>
          <template #title="{ row }"
            ><span :title="row.finding.title">{{ row.finding.title }}</span
            ><span v-if="follows(all, row).length" class="faded"> (+{{ follows(all, row).length }})</span></template
          >
          <template #server="{ row }"
            ><SubjectLink kind="server" :name="row.server" /><span v-if="row.also.length" class="faded" :title="row.also.join(', ')"> +{{ row.also.length }}</span></template
          >
          <template #since="{ row }"
            ><span class="figure" :title="`${day(row.since_us)} ${clock(row.since_us)}`">{{ day(row.since_us) === today ? clock(row.since_us) : day(row.since_us) }}</span></template
          >
          <template #cause="{ row }">{{ row.finding.cause.replaceAll('_', ' ') }}</template>
        </DataTable>
        <p v-if="!rows.length" class="faded mt-2" data-test="none">{{ all.length ? 'No finding matches. Show other states or grades, or clear the search.' : data.nothing }}</p>
      </div>
      <div v-if="chosen" class="detail" data-test="detail">
        <p class="about">
          <SubjectLink v-for="one in [chosen.server, ...chosen.also]" :key="one" kind="server" :name="one" class="me-2" />
          <SubjectLink v-if="chosen.finding.subject.kind === 'statement'" kind="statement" :name="chosen.finding.subject.name" :server="chosen.server" class="sql">{{
            chosen.finding.subject.text
          }}</SubjectLink>
        </p>
        <FindingNote :found="chosen" stacked />
        <ImprovementNote :found="chosen" />
        <FindingActions :key="chosen.id" :found="chosen" @done="answer.ask" />
        <template v-if="after.length">
          <h2 class="part mt-3"><span>Follows from it</span></h2>
          <FindingNote v-for="one in after" :key="one.id" :found="one" brief stacked />
        </template>
        <UnknownNote class="mt-3" :unknown="data.unknown" />
      </div>
      <UnknownNote v-else :unknown="data.unknown" />
    </div>
  </AnswerSheet>
</template>

<style scoped>
.two {
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
  flex: 1;
  min-height: 0;
}
.list {
  min-height: 0;
  display: flex;
  flex-direction: column;
}
.detail {
  min-height: 0;
  overflow: auto;
}
.about {
  font-size: 13px;
  margin-bottom: 8px;
  display: -webkit-box;
  -webkit-line-clamp: 3;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
.search {
  width: 130px;
}
.state {
  width: 118px;
}
</style>
