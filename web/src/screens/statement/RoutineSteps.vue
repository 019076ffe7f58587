<script setup lang="ts">
import { BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'

/** What the routines run that a statement calls, and the routines that run it. */
const props = defineProps<{ routines: Schemas['RoutineSheet'] }>()
type Row = Schemas['RoutineStep']
const least = ref(0)
const LEAST = [
  { value: 0, text: 'all of its statements' },
  { value: 0.01, text: 'those with 1% of its time or more' },
  { value: 0.1, text: 'those with 10% of its time or more' },
]
const rows = computed(() => props.routines.runs.filter((row) => (row.share ?? 0) >= least.value))
const COLUMNS: Column<Row>[] = [
  { key: 'text', title: 'statement', wide: true, value: (row) => row.text },
  { key: 'routine', title: 'in', width: '110px', value: (row) => row.routine },
  { key: 'calls', title: 'calls', unit: '', width: '90px', value: (row) => row.calls, missing: 'not counted' },
  { key: 'time', title: 'time', unit: 's', width: '100px', value: (row) => row.time_s, missing: '–' },
  { key: 'share', title: 'of the routine', unit: 'share', width: '120px', value: (row) => row.share, missing: '–' },
  { key: 'nested', title: 'inside calls', unit: 'share', width: '110px', value: (row) => row.nested_share, missing: '–' },
]
</script>

<template>
  <h2 class="part mt-3"><span>Routines</span></h2>
  <p class="mb-1">{{ routines.sentence }}</p>
  <p v-for="one in routines.callers" :key="one.routine + one.fingerprint" class="faded mb-1">
    {{ one.routine }} is called by <SubjectLink kind="statement" :name="one.fingerprint">{{ one.text }}</SubjectLink>
  </p>
  <DataTable v-if="routines.runs.length" name="routine-steps" :rows="rows" :columns="COLUMNS" :row-key="(row) => row.routine + row.fingerprint">
    <BFormSelect v-if="routines.runs.length > 3" v-model="least" :options="LEAST" size="sm" class="w-auto" aria-label="Which statements of the routines" />
    <template #text="{ row }"
      ><SubjectLink v-if="row.calls !== null" kind="statement" :name="row.fingerprint" data-test="routine-step">{{ row.text }}</SubjectLink
      ><span v-else class="faded">{{ row.text }}</span></template
    >
  </DataTable>
</template>
