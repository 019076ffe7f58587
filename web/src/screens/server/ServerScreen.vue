<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { get, post, Problem, type Schemas } from '@/api/client'
import { lastServer } from '@/app/keyboard'
import FindingNote from '@/parts/FindingNote.vue'
import GaugeScale from '@/parts/GaugeScale.vue'
import FigureText from '@/parts/FigureText.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import LoadStack from '@/screens/ledger/LoadStack.vue'
import ServerFacts from './ServerFacts.vue'
import StatementList from './StatementList.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

const w = useWindow()
const name = computed(() => String(w.route.params.server))
watch(name, async (value) => {
  if (value !== 'first') return lastServer(value)
  const fleet = await get<Schemas['Fleet']>('fleet')
  const first = fleet.clusters[0]?.lines[0]?.server
  return first ? w.router.replace({ name: 'server', params: { server: first }, query: w.kept.value }) : w.router.replace({ name: 'fleet' })
}, { immediate: true })

const path = (what: string) => (name.value === 'first' ? null : what)
const sheet = useAnswer<Schemas['ServerSheet']>(() => path(`servers/${name.value}?${w.api()}`), () => w.following.value)
const ledger = useAnswer<Schemas['Ledger']>(() => path(`ledger?${w.api()}`), () => w.following.value)
const saved = ref('')
const link = (screen: string) => ({ name: screen, query: { ...w.kept.value, scope: name.value } })

async function report() {
  try {
    const made = await post<Schemas['ReportLine']>(`reports?${w.api()}`, { server: name.value })
    await w.router.push({ name: 'reports', query: { ...w.kept.value, scope: name.value, open: String(made.id) } })
  } catch (error) {
    saved.value = (error as Problem).detail
  }
}
</script>

<template>
  <AnswerSheet :answer="sheet">
    <template #beside>
      <BButton size="sm" variant="outline-secondary" data-test="report" @click="report">Save a report</BButton>
    </template>
    <template #default="{ data }">
      <p v-if="saved" class="act" role="alert">{{ saved }}</p>
      <p v-if="data.capture !== 'recording'" class="act">Capture: {{ data.capture_words }}.</p>
      <div class="gauges">
        <div v-for="gauge in data.gauges" :key="gauge.name">
          <div class="faded">{{ gauge.title }}</div>
          <div><FigureText :value="gauge.value" :unit="gauge.unit" /> <span :class="gauge.word === 'usual' ? 'faded' : 'strong'">{{ gauge.word }}</span></div>
          <GaugeScale :name="gauge.title" :value="gauge.value" :low="gauge.low" :high="gauge.high" :reference="gauge.centre" :unit="gauge.unit" :width="168" />
        </div>
      </div>
      <FindingNote v-for="finding in data.findings" :key="finding.title + finding.statement" :finding="finding" brief />
      <div class="cols two">
        <div>
          <LoadStack v-if="ledger.data.value" :ledger="ledger.data.value" :title="`Active sessions of ${data.server} by wait family`" :height="178" />
          <h2 class="part mt-2"><span>Heaviest statements</span><RouterLink :to="link('statements')">all statements</RouterLink></h2>
          <StatementList :rows="data.heaviest" :scope="data.server" />
        </div>
        <ServerFacts :sheet="data" />
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.gauges { display: grid; grid-template-columns: repeat(6, 1fr); gap: 10px; border-block: 1px solid var(--rule); padding: 7px 0; margin-bottom: 12px; font-size: 13px; }
.strong { font-weight: 600; }
.two { grid-template-columns: minmax(0, 1.75fr) minmax(0, 1fr); }
</style>
