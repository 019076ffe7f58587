<script setup lang="ts">
import type { Schemas } from '@/api/client'
import ExecutionTable from './ExecutionTable.vue'
import FigureTriple from './FigureTriple.vue'
import HistoryMultiples from './HistoryMultiples.vue'
import FigureText from '@/parts/FigureText.vue'
import FindingNote from '@/parts/FindingNote.vue'
import SqlText from '@/parts/SqlText.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

const w = useWindow()
const answer = useAnswer<Schemas['StatementDetail']>(() => `statements/${w.route.params.fingerprint}?${w.api()}`, () => w.following.value)
const plan = (use: Schemas['PlanUse']) => ({ name: 'stored-plan', params: { server: use.server, plan: use.plan_key }, query: w.kept.value })
</script>

<template>
  <AnswerSheet :answer="answer" v-slot="{ data }">
    <div class="cols two">
      <div>
        <SqlText :sql="data.row.text" :predicates="data.predicates" />
        <p class="faded key mt-2 mb-1">Conditions: <span class="solid">served by an index</span>, <span class="dashed">an index could serve it, none does</span>, <span class="dotted">none can</span></p>
        <p class="mb-0 small-words">Run by {{ data.row.users.join(', ') }} for {{ data.row.services.join(', ') }}; fingerprint <code>{{ data.row.fingerprint }}</code></p>
      </div>
      <FigureTriple :row="data.row" />
    </div>
    <div class="mt-3"><FindingNote v-for="finding in data.findings" :key="finding.server + finding.title" :finding="finding" /></div>
    <div class="cols two mt-2">
      <HistoryMultiples :history="data.history" :plans="data.plans" />
      <div>
        <h2 class="part"><span>Plans in use</span></h2>
        <table class="ruled">
          <thead><tr><th>plan</th><th>server</th><th class="num">calls</th><th class="num">time per call</th><th>used</th></tr></thead>
          <tbody>
            <tr v-for="use in data.plans" :key="use.server + use.plan_key">
              <td><RouterLink v-if="use.stored" :to="plan(use)" data-test="plan-link"><code>{{ use.plan_key.slice(0, 8) }}</code></RouterLink><code v-else>{{ use.plan_key.slice(0, 8) }}</code></td>
              <td>{{ use.server }}</td>
              <td class="num"><FigureText :value="use.calls" unit="" /></td>
              <td class="num"><FigureText :value="use.time_per_call_s" unit="s" /></td>
              <td class="faded">{{ day(use.first_us) }} {{ clock(use.first_us) }} to {{ clock(use.last_us + 60e6) }}</td>
            </tr>
          </tbody>
        </table>
        <ExecutionTable class="mt-3" :executions="data.executions" :in-all="data.executions_in_all" />
      </div>
    </div>
  </AnswerSheet>
</template>

<style scoped>
.two { grid-template-columns: minmax(0, 1fr) minmax(0, 1fr); align-items: start; }
.key { font-size: 12px; }
.key span { text-decoration: underline; text-decoration-thickness: 2px; text-underline-offset: 3px; }
.solid { text-decoration-color: var(--fine) !important; }
.dashed { text-decoration-style: dashed !important; text-decoration-color: var(--act) !important; }
.dotted { text-decoration-style: dotted !important; }
.small-words { font-size: 12.5px; }
</style>
