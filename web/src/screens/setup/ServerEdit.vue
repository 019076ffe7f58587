<script setup lang="ts">
import { BButton, BFormInput, BFormSelect, BFormTextarea } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import ReportList from './ReportList.vue'
import SameAsFile from './SameAsFile.vue'
import { useWork, words } from '@/state/work'
import { useAnswer } from '@/state/fetching'

/** One server: how it is reached and grouped, figures of the user's own, and what it reports. */
const props = defineProps<{ row: Schemas['Connection']; accounts: Schemas['AccountOut'][] }>()
const emit = defineEmits<{ done: [] }>()
const { problem, busy, run, wrong } = useWork()
const address = ref(props.row.address)
const cluster = ref(props.row.cluster)
const labels = ref(props.row.labels.join(', '))
const account = ref(props.row.account_by === 'itself' ? props.row.account : '')
const figures = ref(props.row.figures.map((one) => ({ ...one })))
const scrapes = ref(props.row.scrapes.join('\n'))
const wrongScrape = computed(() => (problem.value?.field.startsWith('scrapes') ? false : null))
const saved = ref(false)
const { data: reports, problem: unanswered } = useAnswer(
  () => props.row.server,
  (server) => api.POST('/api/connections/{server}/reports', { params: { path: { server } } }),
)
const choices = computed(() => [{ value: '', text: 'none of its own' }, ...props.accounts.map((one) => one.name)])
const KINDS = ['level', 'counter']

const save = () =>
  run(async () => {
    saved.value = false
    await answered(
      api.PATCH('/api/connections/{server}', {
        params: { path: { server: props.row.server } },
        body: {
          address: address.value.trim(),
          cluster: cluster.value.trim(),
          labels: words(labels.value),
          account: account.value,
          figures: figures.value,
          scrapes: scrapes.value
            .split('\n')
            .map((one) => one.trim())
            .filter(Boolean),
        },
      }),
    )
    saved.value = true
    emit('done')
  })
</script>

<template>
  <form class="edit" @submit.prevent="save">
    <div class="form-grid">
      <label :for="`a-${row.server}`">Address</label><BFormInput :id="`a-${row.server}`" v-model="address" size="sm" :state="wrong('address')" />
      <label :for="`c-${row.server}`">Cluster</label>
      <div class="form-line">
        <BFormInput :id="`c-${row.server}`" v-model="cluster" size="sm" class="short" />
        <span class="faded">labels</span><BFormInput v-model="labels" size="sm" aria-label="Labels, separated by commas" /> <span class="faded">account</span
        ><BFormSelect v-model="account" :options="choices" size="sm" class="short" aria-label="Account" />
      </div>
      <span>Own figures</span>
      <div>
        <div v-for="(figure, i) in figures" :key="i" class="form-line mb-1">
          <BFormInput v-model="figure.name" size="sm" class="short" aria-label="Name" placeholder="holds_waiting" />
          <BFormSelect v-model="figure.kind" :options="KINDS" size="sm" class="kind" aria-label="Kind" />
          <BFormInput v-model="figure.sql" size="sm" class="sql" aria-label="Query" placeholder="SELECT count(*) AS value FROM …" />
          <BButton size="sm" variant="link" @click="figures.splice(i, 1)">remove</BButton>
        </div>
        <BButton size="sm" variant="link" class="ps-0" @click="figures.push({ name: '', kind: 'level', sql: '', unit: '', title: '' })">add a query whose value is recorded each minute</BButton>
      </div>
      <label :for="`s-${row.server}`">Beside it</label>
      <div>
        <BFormTextarea :id="`s-${row.server}`" v-model="scrapes" size="sm" :rows="1" :max-rows="6" class="figure" placeholder="http://host:9100/metrics" :state="wrongScrape" />
        <span class="faded small">addresses of OpenMetrics text, one a line; their figures are recorded with the server's each minute</span>
      </div>
      <span></span>
      <div class="form-line"><BButton type="submit" size="sm" variant="primary" :disabled="busy">Save</BButton><span v-if="saved" class="faded">saved</span><ProblemLine :problem="problem" /></div>
      <span></span><SameAsFile :yaml="row.yaml" :command="row.command" />
      <span>Reports</span>
      <ReportList v-if="reports" :reports="reports.reports" :script="reports.script" />
      <span v-else :class="{ act: unanswered }">{{ unanswered?.detail ?? 'asking the server' }}</span>
    </div>
  </form>
</template>

<style scoped>
.edit {
  padding: 6px 0 10px;
  max-width: 1060px;
}
.form-grid {
  grid-template-columns: 80px minmax(0, 1fr);
}
.short {
  width: 170px;
}
.kind {
  width: 100px;
}
</style>
