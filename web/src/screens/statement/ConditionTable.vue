<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import type { Column } from '@/parts/table'
import { rowShare } from '@/state/units'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

/** What each condition of a statement is served by, and, when asked for, how many rows the planner expects of it and how many fit. */
const props = defineProps<{ predicates: Schemas['Predicate'][]; servers: string[]; fingerprint: string }>()
type Row = Schemas['Predicate'] & { place: number; asked: Schemas['Selectivity'] | null }
const w = useWindow()
const { problem, busy, run } = useWork()
const asked = ref<Schemas['SelectivitySheet'] | null>(null)
watch(
  () => props.fingerprint,
  () => (asked.value = null),
)
const rows = computed<Row[]>(() => props.predicates.map((one, place) => ({ ...one, place, asked: asked.value?.rows[place] ?? null })))
const ask = (server: string) =>
  run(async () => {
    asked.value = await answered(api.POST('/api/servers/{server}/statements/{fingerprint}/selectivity', { params: { path: { server, fingerprint: props.fingerprint }, query: w.asked.value } }))
  })
const margin = (one: Schemas['Counted']) => (one.high > one.low ? ` (${rowShare(one.low)} to ${rowShare(one.high)})` : '')
const COLUMNS = computed<Column<Row>[]>(() => [
  { key: 'text', title: 'condition', wide: true, value: (one) => one.text },
  { key: 'kind', title: 'kind', width: '92px', value: (one) => one.kind },
  { key: 'why', title: 'served by', width: '30%', value: (one) => one.why },
  { key: 'matched', title: 'columns', width: '78px', value: (one) => one.matched },
  ...(asked.value
    ? [
        { key: 'expected', title: 'expected', width: '150px', value: (one: Row) => one.asked?.expected ?? null },
        { key: 'counted', title: 'fits', width: '150px', value: (one: Row) => one.asked?.counted?.share ?? null },
      ]
    : []),
])
</script>

<template>
  <h2 class="part mt-3">
    <span>What each condition is served by</span>
    <BButton v-for="server in servers.slice(0, 3)" :key="server" size="sm" variant="outline-secondary" :disabled="busy" data-test="ask-selectivity" @click="ask(server)"
      >Ask {{ servers.length > 1 ? server : '' }} what they select</BButton
    >
  </h2>
  <ProblemLine :problem="problem" />
  <p v-if="asked" class="mb-1" data-test="selectivity">{{ asked.sentence }}</p>
  <div data-test="conditions">
    <DataTable :rows="rows" :columns="COLUMNS" :row-key="(one) => String(one.place)">
      <template #text="{ row }"
        ><code class="sql">{{ row.asked?.text ?? row.text }}</code></template
      >
      <template #matched="{ row }">{{ row.index ? `${row.matched} of ${row.columns}` : '' }}</template>
      <template #expected="{ row }"
        ><template v-if="row.asked?.expected != null">{{ rowShare(row.asked.expected) }}<span v-if="!row.asked.for_values" class="faded"> for any value</span></template></template
      >
      <template #counted="{ row }">
        <span v-if="row.asked?.counted" :title="row.asked.counted_how"
          >{{ rowShare(row.asked.counted.share) }}<span class="faded">{{ margin(row.asked.counted) }}</span></span
        >
        <span v-else class="faded" :title="row.asked?.problem">not known: {{ row.asked?.problem }}</span>
      </template>
    </DataTable>
  </div>
</template>
