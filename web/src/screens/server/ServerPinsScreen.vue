<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { ref } from 'vue'
import ServerTabs from './ServerTabs.vue'
import { api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import PinPlan from '@/parts/PinPlan.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

type Row = Schemas['PinRow']
const w = useWindow()
const server = () => String(w.route.params.server)
const answer = useAnswer(
  () => ({ server: server(), query: w.asked.value }),
  ({ server, query }) => api.GET('/api/servers/{server}/pins', { params: { path: { server }, query } }),
  () => w.following.value,
)
const taking = ref<Row | null>(null)
const said = ref('')
const COLUMNS: Column<Row>[] = [
  { key: 'statement', title: 'statement', wide: true, value: (row) => row.pin.text },
  { key: 'plan', title: 'plan', width: '96px', value: (row) => row.pin.plan_key },
  { key: 'since', title: 'since', width: '140px', value: (row) => row.pin.since_us },
  { key: 'state', title: 'today', width: '130px', value: (row) => row.state },
  { key: 'calls', title: 'calls', unit: '', width: '90px', value: (row) => row.pin.calls },
  { key: 'now', title: 'a call now', unit: 's', width: '110px', missing: 'not known', value: (row) => row.pin.now_s },
  { key: 'first', title: 'in its first day', unit: 's', width: '130px', missing: 'not known', value: (row) => row.pin.first_s },
  { key: 'other', title: 'before it', unit: 's', width: '120px', missing: 'not known', value: (row) => row.pin.other_s },
  { key: 'back', title: '', width: '136px' },
]
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer">
    <ServerTabs />
    <p v-if="said" role="status" class="mb-1">{{ said }}</p>
    <DataTable v-if="data.pins.length" name="pins" :rows="data.pins" :columns="COLUMNS" :row-key="(row) => row.pin.fingerprint + row.pin.plan_key" :expanded="() => true">
      <template #statement="{ row }"
        ><SubjectLink kind="statement" :name="row.pin.fingerprint" :server="server()" data-test="pinned-statement">{{ row.pin.text }}</SubjectLink></template
      >
      <template #plan="{ row }"
        ><SubjectLink kind="plan" :name="row.pin.plan_key" :server="server()"
          ><code>{{ row.pin.plan_key.slice(0, 8) }}</code></SubjectLink
        ></template
      >
      <template #since="{ row }">{{ row.pin.since_us === null ? 'not known' : `${day(row.pin.since_us)} ${clock(row.pin.since_us)}` }}</template>
      <template #back="{ row }"><BButton size="sm" variant="outline-secondary" data-test="take-pin-back" @click="taking = row">Take it back</BButton></template>
      <template #below="{ row }"
        ><p class="faded mb-0">{{ row.words }}</p></template
      >
    </DataTable>
    <p v-else-if="data.able" class="faded">A plan is pinned from the plans of a statement: open the statement, and choose “pin” beside the plan that is to be kept.</p>
    <p v-else class="faded">Where a server can pin plans, those that it keeps stand here, with what each does today.</p>
    <PinPlan v-if="taking" :server="server()" :fingerprint="taking.pin.fingerprint" :plan="taking.pin.plan_key" pinned @done="((said = $event), (taking = null))" @close="taking = null" />
  </AnswerSheet>
</template>
