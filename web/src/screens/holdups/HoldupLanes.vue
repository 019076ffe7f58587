<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import SubjectLink from '@/parts/SubjectLink.vue'
import { clock, duration, text } from '@/state/units'
import { drawn } from './doings'

/** One tree of waiting: who held it on top, below those who waited for it, each a lane over the tree's time. */
type Tree = Schemas['TreeRow']
const props = defineProps<{ tree: Tree; lanes: Schemas['Lanes'] }>()
const TICKS = 6
const NICE = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 21600, 86400]
const length = computed(() => Math.max(props.tree.until_us - props.tree.from_us, 1))
const part = (us: number) => `${(Math.max(0, Math.min(us, length.value)) / length.value) * 100}%`
const ticks = computed(() => {
  const step = (NICE.find((s) => s * 1e6 >= length.value / TICKS) ?? 86400) * 1e6
  const first = Math.ceil(props.tree.from_us / step) * step
  return Array.from({ length: Math.floor((props.tree.until_us - first) / step) + 1 }, (_, i) => first + i * step)
})
const statementOf = (number: number | null) => (number === null ? null : props.lanes.statements[number])
const lastOf = (lane: Schemas['LaneRow']) => statementOf([...lane.stretches].reverse().find((one) => one.number !== null)?.number ?? null)
const words = (one: Schemas['LaneStretch']) =>
  [`${clock(one.from_us, true)} to ${clock(one.until_us, true)}: ${one.doing}`, one.blockers.length ? `waits for ${one.blockers.join(', ')}` : '', statementOf(one.number)?.text ?? '']
    .filter(Boolean)
    .join('; ')
</script>

<template>
  <table class="ruled lanes" :aria-label="`Session ${tree.session} of ${tree.server} and those who waited for it`">
    <thead>
      <tr>
        <th class="who">session</th>
        <th class="whose">service</th>
        <th class="num">waited</th>
        <th class="axis">
          <span v-for="t in ticks" :key="t" class="tick" :class="{ first: t - tree.from_us < length * 0.06, last: tree.until_us - t < length * 0.06 }" :style="{ left: part(t - tree.from_us) }">{{
            clock(t, true)
          }}</span>
        </th>
        <th class="statement">statement</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="lane in lanes.lanes" :key="lane.session" :class="{ root: lane.depth === 0 }" data-test="lane">
        <td class="who">
          <span class="thread" :style="{ width: `${lane.depth * 12}px` }" aria-hidden="true"></span><span class="figure">{{ lane.session }}</span>
        </td>
        <td class="whose" :title="lane.user">{{ lane.service || lane.user || 'not known' }}</td>
        <td class="num">{{ lane.depth === 0 ? lane.words : text(duration(lane.waited_s)) }}</td>
        <td class="axis">
          <span
            v-for="one in lane.stretches"
            :key="one.from_us"
            class="stretch"
            :class="{ hatched: drawn(one.doing).hatched }"
            :style="{ left: part(one.from_us - tree.from_us), width: part(one.until_us - one.from_us), backgroundColor: `var(${drawn(one.doing).token})` }"
            :title="words(one)"
          ></span>
        </td>
        <td class="statement">
          <SubjectLink v-if="lastOf(lane)?.fingerprint" kind="statement" :name="lastOf(lane)!.fingerprint" :server="tree.server" class="sql" :title="lastOf(lane)!.text">{{
            lastOf(lane)!.text
          }}</SubjectLink><span v-else class="faded">no statement known</span>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="lanes.left_out > 0" class="faded mb-0">{{ lanes.left_out }} more sessions waited; they are not drawn.</p>
</template>

<style scoped>
.lanes {
  table-layout: fixed;
}
.who {
  width: 118px;
}
.whose {
  width: 128px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
th.num {
  width: 84px;
}
.statement {
  width: 27%;
  padding-left: 10px !important;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.axis {
  position: relative;
  padding: 0 !important;
}
th.axis {
  position: sticky;
}
.tick {
  position: absolute;
  bottom: 3px;
  transform: translateX(-50%);
  font-family: var(--bs-font-monospace);
  font-size: 10.5px;
  font-weight: 400;
}
.tick.first {
  transform: none;
}
.tick.last {
  transform: translateX(-100%);
}
.stretch {
  position: absolute;
  top: 6px;
  bottom: 6px;
  min-width: 2px;
}
.root .stretch {
  top: 3px;
  bottom: 3px;
}
.root td {
  font-weight: 600;
}
.root .thread {
  border: 0;
  margin: 0;
}
</style>
