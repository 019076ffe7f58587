<script setup lang="ts">
import type { Schemas } from '@/api/client'
import FigureText from '@/parts/FigureText.vue'

/** Steps of two plans, matched: those that changed are marked, and what changed in them is said. */
defineProps<{ plans: Schemas['PlanComparison']; first?: string; second?: string }>()
type Side = Schemas['ComparedStep']['first']
const NAMED: Record<string, string> = { rows_expected: 'rows expected', rows_seen: 'rows seen' }
const said = (changed: readonly string[]) => changed.map((one) => NAMED[one] ?? one).join(', ')
const indent = (side: Side) => ({ paddingLeft: `${(side?.depth ?? 0) * 12}px` })
</script>

<template>
  <div data-test="beside">
    <table class="ruled">
      <thead>
        <tr>
          <th class="match"></th>
          <th>{{ first ?? 'first' }}</th>
          <th class="num rows">rows</th>
          <th class="num time">own time</th>
          <th>{{ second ?? 'second' }}</th>
          <th class="num rows">rows</th>
          <th class="num time">own time</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(one, place) in plans.steps" :key="place" :class="one.match.split(' ')[0]" :data-match="one.match">
          <td class="match">{{ one.match === 'same' ? '' : one.match === 'changed' ? said(one.changed) : one.match }}</td>
          <template v-for="(side, at) in [one.first, one.second]" :key="at">
            <td>
              <span v-if="side" :style="indent(side)" class="step" :title="side.predicate ?? ''">{{ side.words }}</span>
            </td>
            <td class="num">
              <FigureText v-if="side && (side.rows_seen ?? side.rows_expected) !== null" :value="side.rows_seen ?? side.rows_expected" unit="" /><span v-else-if="side" class="faded">not told</span>
            </td>
            <td class="num"><FigureText v-if="side && side.own_time_s !== null" :value="side.own_time_s" unit="s" /><span v-else-if="side" class="faded">not timed</span></td>
          </template>
        </tr>
      </tbody>
    </table>
    <p v-for="one in plans.notes" :key="one" class="faded small-words mb-0">{{ one }}</p>
  </div>
</template>

<style scoped>
.match {
  width: 128px;
  font-size: 12px;
}
.rows {
  width: 78px;
}
.time {
  width: 86px;
}
.step {
  display: inline-block;
}
.changed td.match,
.only td.match {
  font-weight: 600;
}
.same td {
  color: var(--ink-2, inherit);
}
.small-words {
  font-size: 12.5px;
}
</style>
