<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import ServerTabs from './ServerTabs.vue'
import { answered, api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import CellBar from '@/parts/CellBar.vue'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { share } from '@/state/units'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

/** Which indexes the whole recorded workload of a server wants under a budget; asked of its twin, nothing is built. */
type Effect = Schemas['StatementEffect']
const w = useWindow()
const server = computed(() => String(w.route.params.server))
const answer = useAnswer(
  () => ({ server: server.value }),
  (path) => api.GET('/api/servers/{server}/index-set', { params: { path } }),
)
const gib = ref('1')
const writes = ref('')
const found = ref<Schemas['IndexSet'] | null>(null)
const { problem, busy, run, wrong } = useWork()
const budget = () => ({ bytes: Number(gib.value) * 2 ** 30, entries_per_s: writes.value === '' ? null : Number(writes.value) })
const ask = () =>
  run(async () => {
    found.value = proof.value = null
    found.value = await answered(
      api.POST('/api/servers/{server}/index-set', {
        params: { path: { server: server.value } },
        body: budget(),
      }),
    )
  })
const proof = ref<Schemas['IndexProof'] | null>(null)
const prove = () =>
  run(async () => {
    proof.value = await answered(api.POST('/api/servers/{server}/index-set/proof', { params: { path: { server: server.value } }, body: budget() }))
  })
const scripts = computed(() => [...(found.value?.chosen ?? []), ...(found.value?.drops ?? [])].map((one) => one.script).join('\n'))
const copy = () => navigator.clipboard.writeText(scripts.value)
const CHOSEN: Column<Schemas['ProposedIndex']>[] = [
  { key: 'index', title: 'index to build', wide: true, code: true, value: (one) => one.index },
  { key: 'adds', title: 'adds, of all time', unit: 'share', width: '150px', value: (one) => one.adds_share },
  { key: 'bytes', title: 'size', unit: 'B', width: '110px', value: (one) => one.bytes },
  { key: 'entries', title: 'entries', unit: '/s', width: '110px', value: (one) => one.entries_per_s, missing: 'not known' },
  { key: 'log', title: 'log', unit: 'B/s', width: '110px', value: (one) => one.log_bytes_per_s, missing: 'not known' },
  { key: 'serves', title: 'serves', unit: '', width: '90px', value: (one) => one.serves.length },
]
const PROVEN: Column<Schemas['StatementProof']>[] = [
  { key: 'text', title: 'statement', wide: true, code: true, value: (one) => one.text },
  { key: 'before', title: 'a call without', unit: 's', width: '120px', value: (one) => one.before_s, missing: 'not called' },
  { key: 'after', title: 'with', unit: 's', width: '110px', value: (one) => one.after_s, missing: 'not called' },
  { key: 'ratio', title: 'measured', unit: '', width: '90px', value: (one) => one.ratio },
  { key: 'promised', title: 'promised', unit: '', width: '90px', value: (one) => one.promised },
]
const multiple = (ratio: number | null) => (ratio === null ? '' : ratio < 0.01 ? 'under 0.01×' : `${ratio.toFixed(2)}×`)
const EFFECTS: Column<Effect>[] = [
  { key: 'text', title: 'statement', wide: true, code: true, value: (one) => one.text },
  { key: 'part', title: 'of all time', unit: 'share', width: '100px', value: (one) => one.time_share },
  { key: 'ratio', title: 'then', unit: '', width: '90px', value: (one) => one.ratio },
  { key: 'uses', title: 'by', width: '260px', value: (one) => one.why || one.uses.join(', ') },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ found?.sentence ?? data.sentence }}</template>
    <template #default="{ data }">
      <ServerTabs />
      <form v-if="!data.problem" class="budget mb-2" data-test="budget" @submit.prevent="ask">
        <label for="set-size">New indexes of at most</label>
        <BFormInput id="set-size" v-model="gib" type="number" min="0.001" step="any" size="sm" class="short" :state="wrong('bytes')" /> <span>GiB,</span>
        <label for="set-writes">and</label>
        <BFormInput id="set-writes" v-model="writes" type="number" min="0" step="any" size="sm" class="short" placeholder="any" :state="wrong('entries_per_s')" />
        <span>entries a second</span>
        <BButton type="submit" size="sm" variant="primary" :disabled="busy || !data.statements" data-test="ask">Find the set</BButton>
        <span v-if="busy" class="faded" role="status">asking the twin for plans; a large workload takes up to a minute</span>
        <ProblemLine :problem="problem" />
      </form>
      <template v-if="found">
        <p class="faded mb-2">
          {{ found.belief }}
          <button v-if="scripts" type="button" class="btn btn-link btn-sm p-0 align-baseline" @click="copy">Copy the scripts</button>
        </p>
        <p v-if="found.chosen.length" class="mb-2">
          <BButton size="sm" variant="outline-secondary" :disabled="busy" data-test="prove" @click="prove">Prove on made rows</BButton>
          <span class="faded ms-2">{{ busy && !proof ? 'making rows and calling the workload without and with them; up to some minutes' : `Nothing is run on ${server}.` }}</span>
        </p>
        <template v-if="proof">
          <p class="mb-1" data-test="proof">{{ proof.sentence }}</p>
          <DataTable :rows="proof.statements" :columns="PROVEN" :row-key="(one) => one.fingerprint" class="mb-1">
            <template #text="{ row }"
              ><SubjectLink kind="statement" :name="row.fingerprint" :server="server" :title="row.problem">{{ row.text }}</SubjectLink
              ><span v-if="row.problem" class="faded"> {{ row.problem }}</span></template
            >
            <template #ratio="{ row }">{{ multiple(row.ratio) }}</template>
            <template #promised="{ row }">{{ multiple(row.promised) }}</template>
          </DataTable>
          <p v-for="one in [proof.basis, ...proof.cautions]" :key="one" class="faded mb-1">{{ one }}</p>
        </template>
        <div v-if="found.chosen.length" data-test="chosen">
          <DataTable :rows="found.chosen" :columns="CHOSEN" :row-key="(one) => one.index">
            <template #adds="{ row }"
              ><CellBar :value="row.adds_share" :max="1" colour="var(--f-data-read)">{{ share(row.adds_share) }}</CellBar></template
            >
          </DataTable>
        </div>
        <template v-if="found.drops.length">
          <h2 class="part mt-3"><span>Indexes that could go</span></h2>
          <table class="ruled" data-test="drops">
            <tbody>
              <tr v-for="one in found.drops" :key="one.name">
                <td>
                  <code>{{ one.name }}</code> of {{ one.table }}
                </td>
                <td class="num"><FigureText :value="one.bytes" unit="B" /></td>
                <td>{{ one.why }}</td>
              </tr>
            </tbody>
          </table>
        </template>
        <template v-if="found.losers.length">
          <h2 class="part mt-3"><span>Who pays for it</span></h2>
          <DataTable :rows="found.losers" :columns="EFFECTS" :row-key="(one) => one.fingerprint">
            <template #text="{ row }"
              ><SubjectLink kind="statement" :name="row.fingerprint" :server="server">{{ row.text }}</SubjectLink></template
            >
            <template #ratio="{ row }">{{ multiple(row.ratio) }}</template>
          </DataTable>
        </template>
        <template v-if="found.effects.length">
          <h2 class="part mt-3"><span>What becomes of each statement</span></h2>
          <DataTable :rows="found.effects" :columns="EFFECTS" :row-key="(one) => one.fingerprint">
            <template #text="{ row }"
              ><SubjectLink kind="statement" :name="row.fingerprint" :server="server">{{ row.text }}</SubjectLink></template
            >
            <template #ratio="{ row }">{{ multiple(row.ratio) }}</template>
          </DataTable>
        </template>
        <p v-for="one in [...found.unknown.map((text) => `Not known: ${text}`), ...found.cautions]" :key="one" class="faded mb-1 mt-1">{{ one }}</p>
      </template>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.budget {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  font-size: 13px;
}
.short {
  width: 96px;
}
</style>
