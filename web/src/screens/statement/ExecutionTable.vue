<script setup lang="ts">
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import { clock } from '@/state/units'

type Execution = Schemas['ExecutionRow']
defineProps<{ executions: Execution[]; inAll: number }>()
const COLUMNS: Column<Execution>[] = [
  { key: 'ended', title: 'ended', value: (one) => one.ended_at_us },
  { key: 'server', title: 'server', value: (one) => one.server },
  { key: 'took', title: 'took', unit: 's', value: (one) => one.duration_s },
  { key: 'examined', title: 'examined', unit: '', value: (one) => one.rows_examined },
  { key: 'returned', title: 'returned', unit: '', value: (one) => one.rows_returned },
  { key: 'pages', title: 'pages read', unit: '', value: (one) => one.pages_read },
  { key: 'user', title: 'user', value: (one) => one.user },
]
</script>

<template>
  <section>
    <h2 class="part">
      <span>Executions above the capture threshold</span><span>{{ executions.length }} of {{ inAll.toLocaleString('en-GB') }}</span>
    </h2>
    <div class="holder">
      <DataTable v-if="executions.length" :rows="executions" :columns="COLUMNS" :row-key="(one) => `${one.ended_at_us} ${one.server} ${one.duration_s}`" :expanded="(one) => !!one.text">
        <template #ended="{ row }"
          ><span class="figure">{{ clock(row.ended_at_us, true) }}</span></template
        >
        <template #below="{ row }"
          ><span class="sql text">{{ row.text }}</span></template
        >
      </DataTable>
      <p v-else class="faded">None that took as long was recorded in this window.</p>
    </div>
  </section>
</template>

<style scoped>
.holder {
  max-height: 250px;
  overflow: auto;
}
.text {
  overflow-wrap: anywhere;
}
</style>
