<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, watch } from 'vue'
import { answered, api } from '@/api/client'
import { lastServer } from '@/app/keyboard'
import FindingNote from '@/parts/FindingNote.vue'
import GaugeScale from '@/parts/GaugeScale.vue'
import FigureText from '@/parts/FigureText.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import ReferenceNote from '@/parts/ReferenceNote.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import UnknownNote from '@/parts/UnknownNote.vue'
import LoadStack from '@/screens/ledger/LoadStack.vue'
import ServerFacts from './ServerFacts.vue'
import ServerTabs from './ServerTabs.vue'
import StatementList from './StatementList.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

const w = useWindow()
const name = computed(() => String(w.route.params.server))
watch(
  name,
  async (value) => {
    if (value !== 'first') return lastServer(value)
    const fleet = await answered(api.GET('/api/fleet'))
    const first = fleet.clusters[0]?.lines[0]?.server
    return first ? w.router.replace({ name: 'server', params: { server: first }, query: w.kept.value }) : w.router.replace({ name: 'fleet' })
  },
  { immediate: true },
)

const asked = () => (name.value === 'first' ? null : { server: name.value, query: w.asked.value })
const sheet = useAnswer(
  asked,
  ({ server, query }) => api.GET('/api/servers/{server}', { params: { path: { server }, query } }),
  () => w.following.value,
)
const ledger = useAnswer(
  asked,
  ({ query }) => api.GET('/api/ledger', { params: { query } }),
  () => w.following.value,
)
const all = computed(() => sheet.data.value?.findings.findings ?? [])
const asking = computed(() => all.value.filter((one) => one.asks))
const notes = computed(() => all.value.filter((one) => !one.asks))
const { problem, run } = useWork()

const report = () =>
  run(async () => {
    const made = await answered(api.POST('/api/reports', { params: { query: w.asked.value }, body: { server: name.value } }))
    await w.router.push({ name: 'reports', query: { ...w.kept.value, scope: name.value, open: String(made.id) } })
  })
</script>

<template>
  <AnswerSheet :answer="sheet">
    <template #beside>
      <BButton size="sm" variant="outline-secondary" data-test="report" @click="report">Save a report</BButton>
    </template>
    <template #default="{ data }">
      <ServerTabs />
      <ProblemLine :problem="problem" />
      <ReferenceNote :note="data.reference_note" :offers="data.offers" />
      <p v-if="data.capture !== 'recording'" class="act">Capture: {{ data.capture_words }}.</p>
      <p v-if="data.lacking" class="faded mb-2" data-test="lacking">{{ data.lacking }} <RouterLink :to="{ name: 'setup-servers', query: { open: data.server } }">What to switch on</RouterLink></p>
      <div class="gauges">
        <div v-for="gauge in data.gauges" :key="gauge.name">
          <div class="faded">{{ gauge.title }}</div>
          <div>
            <FigureText :value="gauge.value" :unit="gauge.unit" /> <span :class="gauge.word === 'usual' ? 'faded' : 'strong'">{{ gauge.word }}</span>
          </div>
          <GaugeScale :name="gauge.title" :value="gauge.value" :low="gauge.low" :high="gauge.high" :reference="gauge.centre" :unit="gauge.unit" :width="168" />
        </div>
      </div>
      <FindingNote v-for="one in asking" :key="one.id" :found="one" brief />
      <details v-if="notes.length" class="mb-2" data-test="notes">
        <summary class="faded">{{ notes.length }} {{ notes.length === 1 ? 'note or consequence' : 'notes and consequences' }}</summary>
        <FindingNote v-for="one in notes" :key="one.id" :found="one" brief class="mt-2" />
      </details>
      <UnknownNote :unknown="data.findings.unknown" />
      <div class="cols two">
        <div>
          <LoadStack v-if="ledger.data.value" :ledger="ledger.data.value" :title="`Active sessions of ${data.server} by wait family`" :height="178" />
          <h2 class="part mt-2"><span>Heaviest statements</span><SubjectLink kind="statements" name="all statements" :server="data.server" /></h2>
          <StatementList :rows="data.heaviest" :scope="data.server" :reference="w.referenceTitle.value" />
          <p v-if="data.blind" class="faded small-words mt-1">{{ data.blind }}</p>
        </div>
        <ServerFacts :sheet="data" />
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.gauges {
  display: grid;
  grid-template-columns: repeat(6, 1fr);
  gap: 10px;
  border-block: 1px solid var(--rule);
  padding: 7px 0;
  margin-bottom: 12px;
  font-size: 13px;
}
.two {
  grid-template-columns: minmax(0, 1.75fr) minmax(0, 1fr);
}
</style>
