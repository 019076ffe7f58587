<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import CellBar from '@/parts/CellBar.vue'
import DataTable from '@/parts/DataTable.vue'
import { duration, share, text } from '@/state/units'
import type { Column } from '@/parts/table'

/** What time was lost on, the most first; with a listener to `pick`, an entry can be chosen. */
type Lost = Schemas['Lost']
const props = defineProps<{ title: string; lost: Lost[]; onPick?: (name: string) => void }>()
const MOST = 5
const most = computed(() => props.lost[0]?.waited_s ?? 1)
const columns = computed<Column<Lost>[]>(() => [
  { key: 'name', title: props.title, wide: true, value: (row) => row.name },
  { key: 'waited', title: 'waited', unit: 's', width: '84px', value: (row) => row.waited_s },
  { key: 'share', title: '', unit: 'share', width: '46px', value: (row) => row.share },
])
</script>

<template>
  <div>
    <DataTable :rows="lost.slice(0, MOST)" :columns="columns" :row-key="(row) => row.name" :opens="!!onPick" @open="(row) => onPick?.(row.name)">
      <template #waited="{ row }"
        ><CellBar :value="row.waited_s" :max="most">{{ text(duration(row.waited_s)) }}</CellBar></template
      >
      <template #share="{ row }">{{ share(row.share) }}</template>
    </DataTable>
    <p v-if="lost.length > MOST" class="faded mb-0">{{ lost.length - MOST }} more</p>
  </div>
</template>
