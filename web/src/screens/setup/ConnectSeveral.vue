<script setup lang="ts">
import { BButton, BFormTextarea } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api, AS_TEXT, type Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useWork } from '@/state/work'

/** Many servers from a pasted text or a file: what was understood is shown before anything is stored. */
const emit = defineEmits<{ done: []; close: [] }>()
const { problem, busy, run } = useWork()
const text = ref('')
const found = ref<Schemas['ReadServers'] | null>(null)
const results = ref<Schemas['Registered'][]>([])

const read = () =>
  run(async () => {
    results.value = []
    found.value = await answered(api.POST('/api/connections/read', { body: text.value, ...AS_TEXT }))
  })
const take = (servers: Schemas['Registration'][]) =>
  run(async () => {
    results.value = await answered(api.POST('/api/connections', { body: { servers: servers.map((one) => ({ ...one, labels: one.labels ?? [] })) } }))
    emit('done')
  })
const result = (address: string) => results.value.find((one) => one.address === address)
const COLUMNS: Column<Schemas['Registration']>[] = [
  { key: 'address', title: 'address', code: true, value: (one) => one.address },
  { key: 'name', title: 'name', value: (one) => one.name || 'its own' },
  { key: 'cluster', title: 'cluster', value: (one) => one.cluster || 'its own' },
  { key: 'labels', title: 'labels', value: (one) => one.labels?.join(', ') },
  { key: 'account', title: 'account', value: (one) => one.account },
  { key: 'result', title: '' },
]
async function load(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file) text.value = await file.text()
}
</script>

<template>
  <form class="several" @submit.prevent="read">
    <p class="mb-1">One address a line; or CSV with the header <code>address,name,cluster,labels,account</code>, labels separated by semicolons; or YAML.</p>
    <BFormTextarea v-model="text" rows="5" class="sql" aria-label="Servers" data-test="list" @input="found = null" />
    <div class="form-line my-2">
      <BButton type="submit" size="sm" variant="primary" :disabled="busy || !text.trim()" data-test="read">Read</BButton>
      <input type="file" class="form-control form-control-sm w-auto" accept=".csv,.yaml,.yml,.txt" aria-label="File" @change="load" />
      <BButton size="sm" variant="link" @click="$emit('close')">Close</BButton>
    </div>
    <template v-if="found">
      <p v-for="one in found.rejected" :key="one.line" class="act mb-0">line {{ one.line }}: {{ one.reason }}</p>
      <DataTable v-if="found.servers.length" :rows="found.servers" :columns="COLUMNS" :row-key="(one) => one.address">
        <template #result="{ row }"
          ><span :class="{ act: result(row.address)?.error }">{{ result(row.address)?.error || (result(row.address)?.server ? 'in the fleet' : '') }}</span></template
        >
      </DataTable>
      <BButton v-if="found.servers.length" size="sm" variant="primary" class="mt-2" :disabled="busy" data-test="take-several" @click="take(found.servers)">{{
        busy ? 'Asking each' : `Record these ${found.servers.length} servers`
      }}</BButton>
    </template>
    <ProblemLine :problem="problem" />
  </form>
</template>

<style scoped>
.several {
  border: 1px solid var(--rule);
  padding: 10px 12px;
  margin-bottom: 10px;
  font-size: 13px;
}
</style>
