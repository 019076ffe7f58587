<script setup lang="ts">
import { BFormCheckbox } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { COLUMNS } from './columns'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import GaugeScale from '@/parts/GaugeScale.vue'
import GradeGlyph from '@/parts/GradeGlyph.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import TraceLine from '@/parts/TraceLine.vue'
import { useWindow } from '@/state/window'

/** The servers of one cluster as lines of gauges, on scales that they share. */
type Line = Schemas['Line']
const props = defineProps<{ block: Schemas['ClusterBlock']; peers: Line[]; peak: number; picked: string[] }>()
const emit = defineEmits<{ choose: [string, boolean] }>()
const w = useWindow()
const others = (line: Line) => props.peers.filter((peer) => line.peers.includes(peer.server)).map((peer) => peer.active_sessions.value ?? 0)
const widest = (line: Line) => 1.25 * Math.max(0.01, line.active_sessions.value ?? 0, ...others(line))
const open = (line: Line) => w.router.push({ name: 'server', params: { server: line.server }, query: w.kept.value })
const columns = computed(() => {
  const words = props.block.odd.length ? props.block.odd.join('; ') : (props.block.well[0] ?? 'What is going on')
  return COLUMNS.map((one) => (one.key === 'words' ? { ...one, title: words } : one.key === 'server' ? { ...one, title: props.block.cluster } : one))
})
</script>

<template>
  <section class="cluster" :class="{ odd: block.odd.length }" :data-cluster="block.cluster" :title="[...block.odd, ...block.well].join('\n')">
    <DataTable :rows="block.lines" :columns="columns" :row-key="(line) => line.server" opens :marked="(line) => (line.unusual ? 'unusual' : '')" @open="open">
      <template #server="{ row }">
        <span class="who"
          ><BFormCheckbox :model-value="picked.includes(row.server)" :aria-label="`Choose ${row.server}`" @click.stop @update:model-value="emit('choose', row.server, !!$event)" /><SubjectLink
            kind="server"
            :name="row.server"
          />
          <span class="faded">{{ row.role }}</span></span
        >
      </template>
      <template #words="{ row }">
        <span v-if="row.finding" class="asks" :title="`${row.grade}: ${row.finding}`"><GradeGlyph :grade="row.grade" bare /></span
        ><span class="words" :class="{ long: row.finding && !row.unusual }" :title="row.finding"
          ><template v-if="row.finding && !row.unusual">{{ row.finding }}</template
          ><template v-else>{{ row.words }}</template
          ><template v-if="row.unlike">, {{ row.peer_words }}</template></span
        ><span v-for="label in row.labels" :key="label" class="label">{{ label }}</span>
      </template>
      <template #load_gauge="{ row }"
        ><GaugeScale name="Active sessions" :value="row.active_sessions.value" :low="row.active_sessions.low" :high="row.active_sessions.high" unit="" :width="103" :max="peak"
      /></template>
      <template #response_gauge="{ row }"><GaugeScale name="Time per call" :value="row.response_s.value" :low="row.response_s.low" :high="row.response_s.high" unit="s" :width="82" /></template>
      <template #peers="{ row }">
        <GaugeScale
          v-if="others(row).length"
          :title="row.peers_title"
          name="Active sessions among peers"
          :value="row.active_sessions.value"
          :others="others(row)"
          unit=""
          :width="90"
          :max="widest(row)"
        />
        <span v-else class="faded" title="Servers of one cluster, role, engine and hardware should look alike; this one has no such peer">one of a kind</span>
      </template>
      <template #trace="{ row }"><TraceLine :values="row.trace" :name="`Active sessions of ${row.server}`" :width="92" /></template>
      <template #storage="{ row, value }">
        <FigureText v-if="value !== null" :value="Number(value)" unit="s" />
        <span v-else class="unit">{{ row.storage_used_share === null ? 'not reported' : 'not growing' }}</span>
      </template>
      <template #capture="{ row }"
        ><span :class="{ act: row.capture === 'failing' }" :title="row.capture_words">{{ row.capture }}</span></template
      >
    </DataTable>
  </section>
</template>

<style scoped>
.cluster {
  margin-bottom: 22px;
  border-top: 2px solid var(--ink);
}
.cluster :deep(th) {
  overflow: hidden;
  text-overflow: ellipsis;
}
.cluster :deep(th:first-child) {
  font-size: 14px;
  color: var(--ink);
}
.cluster.odd :deep(th:nth-child(2)) {
  color: var(--ink);
}
.cluster :deep(td) {
  padding-top: 6px;
  padding-bottom: 6px;
  vertical-align: middle;
}
.who {
  display: flex;
  gap: 6px;
  align-items: baseline;
  white-space: nowrap;
}
.who a {
  font-weight: 600;
}
.who :deep(.form-check) {
  margin: 0;
  min-height: 0;
}
.label {
  margin-left: 6px;
  padding: 0 5px;
  border: 1px solid var(--rule-strong);
  border-radius: 2px;
  font-size: 12px;
  color: var(--faded);
  white-space: nowrap;
}
.long {
  display: inline-block;
  max-width: calc(100% - 34px);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  vertical-align: bottom;
}
.asks {
  margin-right: 7px;
}
.cluster :deep(.unusual) .words {
  font-weight: 600;
}
</style>
