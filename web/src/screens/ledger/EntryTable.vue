<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import CellBar from '@/parts/CellBar.vue'
import DataTable from '@/parts/DataTable.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { colourOf, isHatched } from '@/state/families'
import { said, text, times } from '@/state/units'
import { useWindow } from '@/state/window'

type Entry = Schemas['Entry']
const props = defineProps<{ entries: Entry[]; by: string; order: string[]; reference: string; unit: string; title: string }>()
const emit = defineEmits<{ pick: [key: string]; leave: [key: string] }>()
const MOST = 40
const w = useWindow()
const most = computed(() => Math.max(...props.entries.map((one) => Math.max(one.active_sessions, one.reference?.value ?? 0))))
const shown = (value: number) => (props.unit ? text(said(value, props.unit)) : value.toFixed(3))
const place = (key: string) => Math.max(0, props.order.indexOf(key))
const margin = (one: Entry) => Math.max(one.active_sessions - one.low, one.high - one.active_sessions)
const spread = (one: Entry) => (one.reference && one.reference.spans > 1 ? `${one.reference.low.toFixed(3)} to ${one.reference.high.toFixed(3)} on ${one.reference.spans} days` : '')
const columns = computed<Column<Entry>[]>(() => [
  { key: 'swatch', title: '', width: '20px' },
  { key: 'label', title: 'entry', wide: true, code: props.by === 'statement', value: (one) => one.label },
  { key: 'active', title: props.title, unit: props.unit, width: props.unit ? '146px' : '118px', value: (one) => one.active_sessions },
  ...(props.unit ? [] : [{ key: 'margin', title: '±', unit: '', width: '60px', value: margin } as Column<Entry>]),
  { key: 'share', title: 'share', unit: 'share', width: '58px', value: (one) => one.share },
  { key: 'reference', title: props.reference, unit: props.unit, width: props.unit ? '112px' : '78px', value: (one) => one.reference?.value },
  { key: 'times', title: '', unit: '', width: '58px', value: (one) => (one.reference?.value ? one.active_sessions / one.reference.value : null) },
  { key: 'out', title: '', width: '44px' },
])
</script>

<template>
  <DataTable :rows="entries.slice(0, MOST)" :columns="columns" :row-key="(one) => one.key" opens @open="(one) => emit('pick', one.key)">
    <template #swatch="{ row }"><span class="swatch" :class="{ hatched: isHatched(row.key, place(row.key)) }" :style="{ backgroundColor: colourOf(row.key, place(row.key)) }"></span></template>
    <template #label="{ row }"
      ><SubjectLink v-if="by === 'statement' && row.key !== 'none'" kind="statement" :name="row.key" :server="w.scope.value" class="sql" :title="row.label">{{ row.label }}</SubjectLink
      ><template v-else>{{ row.label }}</template></template
    >
    <template #active="{ row }"
      ><CellBar :value="row.active_sessions" :max="most" :reference="row.reference?.value">{{ shown(row.active_sessions) }}</CellBar></template
    >
    <template #margin="{ row }"
      ><span class="unit" :title="`${row.low.toFixed(3)} to ${row.high.toFixed(3)}`">{{ margin(row).toFixed(3) }}</span></template
    >
    <template #reference="{ row }"
      ><span :title="spread(row)">{{ row.reference === null ? 'none' : shown(row.reference.value) }}</span></template
    >
    <template #out="{ row }"
      ><button type="button" class="btn btn-link btn-sm p-0" :aria-label="`Without ${row.label}`" title="leave it out" @click.stop="emit('leave', row.key)">out</button></template
    >
    <template #times="{ row }"
      ><span :title="row.difference">{{ row.difference.startsWith('as ') ? 'same' : times(row.active_sessions, row.reference?.value) }}</span></template
    >
  </DataTable>
  <p v-if="entries.length > MOST" class="faded mb-0">{{ entries.length - MOST }} smaller entries are not listed.</p>
</template>

<style scoped>
.swatch {
  display: inline-block;
  width: 12px;
  height: 12px;
}
</style>
