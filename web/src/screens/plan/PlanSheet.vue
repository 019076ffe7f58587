<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Schemas } from '@/api/client'
import PlanRibbons from './PlanRibbons.vue'
import CellBar from '@/parts/CellBar.vue'
import FigureText from '@/parts/FigureText.vue'
import { share } from '@/state/units'

const props = defineProps<{ plan: Schemas['PlanOut'] }>()
const heaviest = () => [...props.plan.steps].sort((a, b) => (b.own_time_s ?? 0) - (a.own_time_s ?? 0))[0]?.number ?? 1
const chosen = ref(heaviest())
watch(() => props.plan.plan_id, () => (chosen.value = heaviest()))
const step = computed(() => props.plan.steps.find((one) => one.number === chosen.value) ?? props.plan.steps[0])
const off = (one: Schemas['StepOut']) => (one.rows_seen === null || !one.rows_expected ? null : one.rows_seen / one.rows_expected)
const ratio = (one: Schemas['StepOut']) => {
  const value = off(one)
  if (value === null) return ''
  if (value > 0.5 && value < 2) return 'as expected'
  return value >= 2 ? `${value.toPrecision(2)}× the expected` : `${(1 / Math.max(value, 1e-9)).toPrecision(2)}× fewer than expected`
}
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
  <PlanRibbons :steps="plan.steps" :chosen="chosen" @choose="(number) => (chosen = number)" />
  <div class="cols two">
    <div>
      <h2 class="part"><span>Steps</span></h2>
      <table class="ruled" data-test="steps">
        <thead><tr><th class="num">own time</th><th class="num">share</th><th>step</th><th class="num">expected</th><th class="num">seen</th><th></th></tr></thead>
        <tbody>
          <tr v-for="one in plan.steps" :key="one.number" class="link" :class="{ chosen: one.number === chosen }" @click="chosen = one.number">
            <td class="num"><FigureText :value="one.own_time_s" unit="s" /></td>
            <td class="num"><CellBar v-if="one.own_share !== null" :value="one.own_share" :max="1" colour="var(--f-data-read)">{{ share(one.own_share) }}</CellBar></td>
            <td :style="{ paddingLeft: `${one.depth * 14}px` }"><button type="button" class="plain" @click.stop="chosen = one.number">{{ one.words }}</button> <span class="faded">{{ one.operation }}</span></td>
            <td class="num"><FigureText :value="one.rows_expected" unit="" /></td>
            <td class="num"><FigureText :value="one.rows_seen" unit="" /></td>
            <td class="faded">{{ ratio(one) }}</td>
          </tr>
        </tbody>
      </table>
      <div class="cols sums mt-3">
        <div v-for="[title, sums] in [['By operation', plan.by_operation], ['By object', plan.by_object]] as const" :key="title">
          <h2 class="part"><span>{{ title }}</span></h2>
          <table class="ruled">
            <tbody>
              <tr v-for="sum in sums" :key="sum.name">
                <td>{{ sum.name }}</td>
                <td class="num"><FigureText :value="plan.time_s === null ? null : sum.own_time_s" unit="s" /></td>
                <td class="num"><FigureText :value="sum.pages_read" unit="pages" /></td>
              </tr>
            </tbody>
          </table>
        </div>
      </div>
    </div>
    <aside>
      <h2 class="part"><span>Step {{ step.number }}: {{ step.words }}</span></h2>
      <dl>
        <template v-for="[words, value, unit] in facts" :key="words"><dt>{{ words }}</dt><dd><FigureText :value="value" :unit="unit" /></dd></template>
      </dl>
      <p v-if="step.predicate" class="mb-1">Condition<br /><code>{{ step.predicate }}</code></p>
      <p v-if="step.index" class="mb-1">Index <code>{{ step.index }}</code></p>
    </aside>
  </div>
</template>

<style scoped>
.two { grid-template-columns: minmax(0, 2.4fr) minmax(0, 1fr); }
.sums { grid-template-columns: 1fr 1fr; }
dl { display: grid; grid-template-columns: auto auto; gap: 2px 10px; font-size: 13px; margin: 0 0 8px; }
dt { font-weight: 400; color: var(--faded); }
dd { margin: 0; text-align: right; }
.plain { border: 0; background: none; padding: 0; color: var(--ink); text-align: left; }
aside { font-size: 13px; overflow-wrap: anywhere; }
</style>
