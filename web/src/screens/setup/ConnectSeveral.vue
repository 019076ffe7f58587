<script setup lang="ts">
import { BButton, BFormTextarea } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { post, type Schemas } from '@/api/client'
import { useWork } from './work'

/** Many servers from a pasted text or a file: what was understood is shown before anything is stored. */
const emit = defineEmits<{ done: []; close: [] }>()
const { problem, busy, run } = useWork()
const text = ref('')
const found = ref<Schemas['ReadServers'] | null>(null)
const results = ref<Schemas['Taken'][]>([])

const read = () => run(async () => {
  results.value = []
  found.value = await post<Schemas['ReadServers']>('connections/read', text.value, 'text/plain')
})
const take = () => run(async () => {
  results.value = await post<Schemas['Taken'][]>('connections', { servers: found.value!.servers })
  emit('done')
})
async function load(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file) text.value = await file.text()
}
</script>

<template>
  <form class="several" @submit.prevent="read">
    <p class="mb-1">Addresses a line; or CSV with a head line of <code>address,name,cluster,labels,account</code>, labels with semicolons between; or YAML.</p>
    <BFormTextarea v-model="text" rows="5" class="sql" aria-label="Servers" data-test="list" @input="found = null" />
    <div class="form-line my-2">
      <BButton type="submit" size="sm" variant="primary" :disabled="busy || !text.trim()" data-test="read">Read</BButton>
      <input type="file" class="form-control form-control-sm w-auto" accept=".csv,.yaml,.yml,.txt" aria-label="File" @change="load" />
      <BButton size="sm" variant="link" @click="$emit('close')">Close</BButton>
    </div>
    <template v-if="found">
      <p v-for="one in found.not_taken" :key="one.line" class="act mb-0">line {{ one.line }}: {{ one.reason }}</p>
      <table v-if="found.servers.length" class="ruled">
        <thead><tr><th>address</th><th>name</th><th>cluster</th><th>labels</th><th>account</th><th></th></tr></thead>
        <tbody>
          <tr v-for="one in found.servers" :key="one.address">
            <td class="sql">{{ one.address }}</td><td>{{ one.name || 'as it says' }}</td><td>{{ one.cluster || 'as it says' }}</td><td>{{ one.labels?.join(', ') }}</td><td>{{ one.account }}</td>
            <td :class="{ act: results.find((r) => r.address === one.address)?.error }">{{ results.find((r) => r.address === one.address)?.error || (results.find((r) => r.address === one.address)?.server ? 'in the fleet' : '') }}</td>
          </tr>
        </tbody>
      </table>
      <BButton v-if="found.servers.length" size="sm" variant="primary" class="mt-2" :disabled="busy" data-test="take-several" @click="take">{{ busy ? 'Asking each' : `Record these ${found.servers.length} servers` }}</BButton>
    </template>
    <p v-if="problem" class="act mb-0" role="alert">{{ problem.title }}. {{ problem.detail }}</p>
  </form>
</template>

<style scoped>
.several { border: 1px solid var(--rule); padding: 10px 12px; margin-bottom: 10px; font-size: 13px; }
</style>
