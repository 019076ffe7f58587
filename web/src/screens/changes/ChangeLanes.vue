<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import BandStrip from '@/charts/BandStrip.vue'
import { useAnswer } from '@/state/fetching'
import { clock } from '@/state/units'
import { useWidth } from '@/state/width'
import { useWindow } from '@/state/window'

/** The load of the scope, and under it a lane for each kind of change with flags that hang from their moment. */
type Row = Schemas['ChangeRow']
const props = defineProps<{ rows: Row[]; chosen: string | null }>()
const emit = defineEmits<{ pick: [Row] }>()
const LANE = 15
const LEFT = 62
const w = useWindow()
const frame = ref<HTMLElement>()
const width = useWidth(frame)
const cursor = ref<number | null>(null)
const load = useAnswer(
  () => ({ scope: w.scope.value, span: w.focusText.value }),
  (query) => api.GET('/api/tape', { params: { query } }),
  () => w.following.value,
)
const kinds = computed(() => [...new Set(props.rows.map((row) => row.kind))].sort())
const x = (us: number) => LEFT + ((us - w.focus.value.from) / (w.focus.value.to - w.focus.value.from)) * (width.value - LEFT)
const key = (row: Row) => `${row.at_us}.${row.server}.${row.title}`
</script>

<template>
  <div ref="frame">
    <BandStrip
      v-if="load.data.value"
      :from="w.focus.value.from"
      :to="w.focus.value.to"
      :width="width"
      :height="104"
      :title="`Active sessions of ${w.scope.value}`"
      unit=""
      :at="load.data.value.at_us"
      :step="load.data.value.step_us"
      :values="load.data.value.active_sessions"
      :low="load.data.value.usual_low"
      :high="load.data.value.usual_high"
      :marks="rows.filter((row) => row.kind !== 'upkeep')"
      :cursor="cursor"
      axis
      @cursor="(us) => (cursor = us)"
    />
    <div v-else class="holds"></div>
    <svg v-if="kinds.length" :width="width" :height="kinds.length * LANE + 2" role="group" aria-label="Changes by kind">
      <g v-for="(kind, i) in kinds" :key="kind">
        <line class="rule" :x1="LEFT" :x2="width" :y1="i * LANE + LANE" :y2="i * LANE + LANE" />
        <text class="kind" :x="LEFT - 5" :y="i * LANE + 12" text-anchor="end">{{ kind }}</text>
      </g>
      <path
        v-for="row in rows"
        :key="key(row)"
        :class="['flag', row.shown.replaceAll(' ', '-'), { on: key(row) === chosen }]"
        :d="`M${x(row.at_us)},${kinds.indexOf(row.kind) * LANE + 2}v${LANE - 3}m0,${-(LANE - 3)}${x(row.at_us) > width - 10 ? 'h-8l2.5,3.5l-2.5,3.5h8z' : 'h8l-2.5,3.5l2.5,3.5h-8z'}`"
        @click="emit('pick', row)"
      >
        <title>{{ clock(row.at_us, true) }} {{ row.server }}: {{ row.title }}; {{ row.words }}</title>
      </path>
    </svg>
  </div>
</template>

<style scoped>
.holds {
  height: 104px;
}
svg {
  display: block;
}
.rule {
  stroke: var(--rule);
}
.kind {
  font-size: 10.5px;
  fill: var(--faded);
}
.flag {
  cursor: pointer;
  stroke: var(--faded);
  fill: var(--sheet);
}
.flag.shown {
  fill: var(--petrol);
  stroke: var(--petrol);
}
.flag.on {
  stroke: var(--brass);
  stroke-width: 2;
}
</style>
