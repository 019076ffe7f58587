<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Schemas } from '@/api/client'
import PlanRibbons from './PlanRibbons.vue'
import CellBar from '@/parts/CellBar.vue'
import DataTable from '@/parts/DataTable.vue'
import FactList from '@/parts/FactList.vue'
import FigureText from '@/parts/FigureText.vue'
import type { Column } from '@/parts/table'
import { share } from '@/state/units'

const props = defineProps<{ plan: Schemas['PlanOut'] }>()
/** Steps above which only those in sight are drawn, and the depth beyond which none is set in further. */
const LONG = 60
const DEEPEST = 16
const heaviest = () => [...props.plan.steps].sort((a, b) => (b.own_time_s ?? 0) - (a.own_time_s ?? 0))[0]?.number ?? 1
const chosen = ref(heaviest())
watch(
  () => props.plan.plan_id,
  () => (chosen.value = heaviest()),
)
const step = computed(() => props.plan.steps.find((one) => one.number === chosen.value) ?? props.plan.steps[0]!)
const STEPS: Column<Schemas['StepOut']>[] = [
  { key: 'own', title: 'own time', unit: 's', value: (one) => one.own_time_s, missing: 'not timed' },
  { key: 'share', title: 'share', unit: 'share', value: (one) => one.own_share },
  { key: 'step', title: 'step', wide: true, value: (one) => one.number },
  { key: 'expected', title: 'expected', unit: '', value: (one) => one.rows_expected, missing: 'not told' },
  { key: 'seen', title: 'seen', unit: '', value: (one) => one.rows_seen, missing: 'not run' },
  { key: 'estimate', title: '' },
]
const SUMS: Column<Schemas['Sum']>[] = [
  { key: 'name', title: '', value: (sum) => sum.name },
  { key: 'own', title: 'own time', unit: 's', value: (sum) => (props.plan.time_s === null ? null : sum.own_time_s), missing: 'not timed' },
  { key: 'pages', title: 'read', unit: 'pages', value: (sum) => sum.pages_read },
]
/** What the server told beside a step's time and rows; left out where it told nothing. */
const more = computed<[string, number | null, string][]>(() =>
  (
    [
      ['work of all processes together', step.value.processes > 1 ? step.value.summed_s : null, 's'],
      ['processes beside each other', step.value.processes > 1 ? step.value.processes : null, ''],
      ['rows removed', step.value.rows_removed, ''],
      ['memory taken', step.value.memory_bytes, 'B'],
      ['memory needed', step.value.memory_wanted_bytes, 'B'],
      ['written to disk', step.value.spilled_bytes, 'B'],
      ['rows moved to another step', step.value.moved_rows, ''],
      ['moved to another step', step.value.moved_bytes, 'B'],
    ] as [string, number | null, string][]
  ).filter(([, value]) => value !== null),
)
const facts = computed<[string, number | null, string][]>(() => [
  ['own time', step.value.own_time_s, 's'],
  ['time with the steps below', step.value.time_s, 's'],
  ['rows expected', step.value.rows_expected, ''],
  ['rows seen', step.value.rows_seen, ''],
  ['rows examined', step.value.rows_examined, ''],
  ['loops', step.value.loops, ''],
  ['pages asked for', step.value.pages_requested, ''],
  ['pages read from storage', step.value.pages_read, ''],
  ['cost to the planner', step.value.cost, ''],
])
</script>

<template>
  <p v-if="plan.accounts.length > 1" class="accounts mb-2" data-test="accounts">
    <FigureText :value="plan.total_s" unit="s" /> in all:
    <span v-for="one in plan.accounts" :key="one.name" class="ms-2">{{ one.name }} <FigureText :value="one.time_s" unit="s" /></span>
    <span v-if="plan.compiled_s" class="ms-2 faded">(of the steps, compiling expressions <FigureText :value="plan.compiled_s" unit="s" />)</span>
  </p>
  <PlanRibbons :steps="plan.steps" :chosen="chosen" @choose="(number) => (chosen = number)" />
  <div class="cols two">
    <div>
      <h2 class="part"><span>Steps</span></h2>
      <div data-test="steps" :class="{ long: plan.steps.length > LONG }">
        <DataTable :fill="plan.steps.length > LONG" :rows="plan.steps" :columns="STEPS" :row-key="(one) => one.number" :chosen="chosen" opens @open="(one) => (chosen = one.number)">
          <template #share="{ row }"
            ><CellBar v-if="row.own_share !== null" :value="row.own_share" :max="1" colour="var(--f-data-read)">{{ share(row.own_share) }}</CellBar></template
          >
          <template #step="{ row }"
            ><span :style="{ paddingLeft: `${Math.min(row.depth, DEEPEST) * 14}px` }" :title="row.words"
              >{{ row.words }} <span class="faded">{{ row.operation }}</span></span
            ></template
          >
          <template #estimate="{ row }"
            ><span class="faded">{{ [row.estimate, ...row.notes].filter(Boolean).join('; ') }}</span></template
          >
        </DataTable>
      </div>
      <div class="cols sums mt-3">
        <div
          v-for="[title, sums] in [
            ['By operation', plan.by_operation],
            ['By object', plan.by_object],
          ] as const"
          :key="title"
        >
          <h2 class="part">
            <span>{{ title }}</span>
          </h2>
          <DataTable :rows="sums" :columns="SUMS" :row-key="(sum) => sum.name" />
        </div>
      </div>
    </div>
    <aside>
      <h2 class="part">
        <span>Step {{ step.number }}: {{ step.words }}</span>
      </h2>
      <FactList :facts="[...facts, ...more]" />
      <p v-for="note in step.notes" :key="note" class="mb-1">{{ note }}</p>
      <p v-if="step.predicate" class="mb-1">
        Condition<br /><code>{{ step.predicate }}</code>
      </p>
      <p v-if="step.index" class="mb-1">
        Index <code>{{ step.index }}</code>
      </p>
    </aside>
  </div>
</template>

<style scoped>
.accounts {
  font-size: 13px;
}
.two {
  grid-template-columns: minmax(0, 2.4fr) minmax(0, 1fr);
}
.long {
  display: flex;
  flex-direction: column;
  height: 560px;
}
.sums {
  grid-template-columns: 1fr 1fr;
}
aside {
  font-size: 13px;
  overflow-wrap: anywhere;
}
</style>
