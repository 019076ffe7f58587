<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import CheckTable from './CheckTable.vue'
import ConditionTable from './ConditionTable.vue'
import ExecutionTable from './ExecutionTable.vue'
import FigureTriple from './FigureTriple.vue'
import HistoryMultiples from './HistoryMultiples.vue'
import RoutineSteps from './RoutineSteps.vue'
import ValueTable from './ValueTable.vue'
import DataTable from '@/parts/DataTable.vue'
import PinPlan from '@/parts/PinPlan.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import ReferenceNote from '@/parts/ReferenceNote.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import FindingNote from '@/parts/FindingNote.vue'
import LogMessages from '@/parts/LogMessages.vue'
import SqlText from '@/parts/SqlText.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

const w = useWindow()
type Use = Schemas['PlanUse']
const answer = useAnswer(
  () => ({ fingerprint: String(w.route.params.fingerprint), query: w.asked.value }),
  ({ fingerprint, query }) => api.GET('/api/statements/{fingerprint}', { params: { path: { fingerprint }, query } }),
  () => w.following.value,
)
const PLANS: Column<Use>[] = [
  { key: 'plan', title: 'plan', width: '80px' },
  { key: 'server', title: 'server', width: '76px', value: (use) => use.server },
  { key: 'calls', title: 'calls', unit: '', width: '74px', value: (use) => use.calls },
  { key: 'each', title: 'time per call', unit: 's', width: '96px', value: (use) => use.time_per_call_s },
  { key: 'used', title: 'used', value: (use) => use.last_us },
  { key: 'beside', title: '', width: '118px' },
]
/** The plan that the same server used before this one, where both are kept. */
const earlier = (use: Use, all: readonly Use[]) => use.stored && all.find((one) => one.server === use.server && one.stored && one.last_us < use.last_us)
const pinning = ref<Use | null>(null)
const said = ref('')
const { problem, run } = useWork()
const ask = (server: string) =>
  run(async () => {
    const taken = await answered(api.POST('/api/servers/{server}/statements/{fingerprint}/plan', { params: { path: { server, fingerprint: String(w.route.params.fingerprint) } } }))
    await w.router.push({ name: 'stored-plan', params: { server, plan: taken.plan_key }, query: w.kept.value })
  })
const open = (use: Use) => use.stored && w.router.push({ name: 'stored-plan', params: { server: use.server, plan: use.plan_key }, query: w.kept.value })
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer">
    <ReferenceNote :note="data.reference_note" />
    <div class="cols two">
      <div>
        <SqlText :sql="data.row.text" :predicates="data.predicates" />
        <p class="faded key mt-2 mb-1">
          Conditions: <span class="solid">served by an index</span>, <span class="dashed">an index could serve it, none does</span>, <span class="dotted">none can</span>
        </p>
        <p class="mb-0 small-words">
          Run by {{ data.row.users.join(', ') || 'users that are not reported' }} for {{ data.row.services.join(', ') || 'services that are not reported' }}; fingerprint
          <code>{{ data.row.fingerprint }}</code>
        </p>
      </div>
      <FigureTriple :groups="data.figures" :reference="w.referenceTitle.value" />
    </div>
    <div class="mt-3"><FindingNote v-for="one in data.findings" :key="one.server + one.finding.cause" :found="one" /></div>
    <ConditionTable v-if="data.predicates.length" :predicates="data.predicates" :servers="data.askable" :fingerprint="data.row.fingerprint" />
    <h2 class="part mt-3"><span>What checks find</span></h2>
    <CheckTable v-if="data.checks.rows.length" :rows="data.checks.rows" />
    <p v-else class="faded mb-1">Nothing in what was looked at.</p>
    <p v-if="data.checks.unknown.length" class="faded mb-0">Not looked at: {{ data.checks.unknown.join('; ') }}.</p>
    <RoutineSteps v-if="data.routines" :routines="data.routines" />
    <template v-if="data.messages.length">
      <h2 class="part mt-3"><span>What the log says while it runs</span></h2>
      <LogMessages :rows="data.messages" />
    </template>
    <div class="cols two mt-2">
      <HistoryMultiples :history="data.history" :plans="data.plans" />
      <div>
        <h2 class="part">
          <span>Plans over time</span
          ><BButton v-for="server in data.askable.slice(0, 3)" :key="server" size="sm" variant="outline-secondary" data-test="ask-plan" @click="ask(server)"
            >Ask {{ data.askable.length > 1 ? server : '' }} for its plan</BButton
          ><RouterLink
            v-if="data.askable.length"
            class="btn btn-sm btn-outline-secondary"
            data-test="another-text"
            :to="{ name: 'texts', params: { server: data.askable[0] }, query: { ...w.kept.value, statement: data.row.fingerprint } }"
            >Another text</RouterLink
          >
        </h2>
        <ProblemLine :problem="problem" />
        <p v-if="said" class="small-words mb-1" role="status">{{ said }}</p>
        <p v-if="data.plans_note" class="faded small-words mb-1">{{ data.plans_note }}</p>
        <DataTable :rows="data.plans" :columns="PLANS" :row-key="(use) => use.server + use.plan_key" opens @open="open">
          <template #plan="{ row }"
            ><SubjectLink v-if="row.stored" kind="plan" :name="row.plan_key" :server="row.server" data-test="plan-link"
              ><code>{{ row.plan_key.slice(0, 8) }}</code></SubjectLink
            ><code v-else>{{ row.plan_key.slice(0, 8) }}</code></template
          >
          <template #used="{ row }"
            ><span class="faded">{{ day(row.first_us) }} {{ clock(row.first_us) }} to {{ clock(row.last_us + 60e6) }}</span></template
          >
          <template #beside="{ row }">
            <RouterLink
              v-if="earlier(row, data.plans)"
              data-test="plans-beside"
              :to="{ name: 'plans-beside', params: { server: row.server, plan: (earlier(row, data.plans) as Use).plan_key, other: row.plan_key }, query: w.kept.value }"
              >what changed</RouterLink
            >
            <BButton v-if="row.may_pin" size="sm" variant="link" class="py-0" data-test="pin-plan" @click.stop="pinning = row">{{ row.pinned ? 'pinned' : 'pin' }}</BButton>
          </template>
        </DataTable>
        <PinPlan
          v-if="pinning"
          :server="pinning.server"
          :fingerprint="data.row.fingerprint"
          :plan="pinning.plan_key"
          :pinned="pinning.pinned"
          @done="((said = $event), (pinning = null))"
          @close="pinning = null"
        />
        <ExecutionTable class="mt-3" :executions="data.executions" :in-all="data.executions_in_all" />
        <ValueTable v-if="data.executions.length" class="mt-3" :found="data.by_value" :server="data.executions[0]?.server" />
      </div>
    </div>
  </AnswerSheet>
</template>

<style scoped>
.two {
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  align-items: start;
}
.key {
  font-size: 12px;
}
.key span {
  text-decoration: underline;
  text-decoration-thickness: 2px;
  text-underline-offset: 3px;
}
.solid {
  text-decoration-color: var(--fine) !important;
}
.dashed {
  text-decoration-style: dashed !important;
  text-decoration-color: var(--act) !important;
}
.dotted {
  text-decoration-style: dotted !important;
}
.small-words {
  font-size: 12.5px;
}
</style>
