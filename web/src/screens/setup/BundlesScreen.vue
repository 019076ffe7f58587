<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answered, api, AS_FILE, query, type Schemas } from '@/api/client'
import SetupTabs from './SetupTabs.vue'
import { useWork } from '@/state/work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import SubjectLink from '@/parts/SubjectLink.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

const w = useWindow()
const answer = useAnswer(
  () => 'bundles',
  () => api.GET('/api/bundles'),
)
const { problem, busy, run } = useWork()
const said = ref('')
const exported = computed(() => `/api/bundles/export?${query({ scope: w.scope.value, focus: w.focusText.value })}`)
const open = (event: Event) => {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (!file) return
  said.value = ''
  return run(async () => {
    const made = await answered(api.POST('/api/bundles', { ...AS_FILE, body: file as never }))
    said.value = made.new ? `${made.servers.join(', ')}: opened.` : `${made.servers.join(', ')} were here already; nothing was changed.`
    await answer.ask()
  }).finally(() => (input.value = ''))
}
const drop = (bundle: string) =>
  run(async () => {
    await answered(api.DELETE('/api/bundles/{bundle}', { params: { path: { bundle } } }))
    said.value = 'Removed, with everything that came with it.'
    await answer.ask()
  })
const COLUMNS: Column<Schemas['BundleOut']>[] = [
  { key: 'servers', title: 'servers', value: (one) => one.servers.join(', ') },
  { key: 'until', title: 'recorded until', value: (one) => one.until_us },
  { key: 'bundle', title: 'bundle' },
  { key: 'act', title: '' },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.sentence }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <h2 class="part"><span>Export</span></h2>
      <p>
        The focus on the tape, of <b>{{ w.scope.value }}</b>: <a :href="exported" download data-test="bundle-export">save as a bundle</a>. On a machine that cannot reach this application make the same
        with <code>hardy-gauge capture --target ADDRESS --for 60s --out FILE</code>.
      </p>
      <h2 class="part"><span>Open</span></h2>
      <p>
        <input type="file" class="form-control form-control-sm file" aria-label="Bundle" :disabled="busy" data-test="bundle-file" @change="open" />
        <span class="faded">{{ busy ? 'opening' : said }}</span>
      </p>
      <ProblemLine :problem="problem" />
      <DataTable v-if="data.bundles.length" :rows="data.bundles" :columns="COLUMNS" :row-key="(one) => one.bundle">
        <template #servers="{ row }"
          ><template v-for="(server, i) in row.servers" :key="server">{{ i ? ', ' : '' }}<SubjectLink kind="server" :name="server" /></template
        ></template>
        <template #until="{ row }"
          ><span class="figure">{{ day(row.until_us) }} {{ clock(row.until_us) }}</span></template
        >
        <template #bundle="{ row }"
          ><code>{{ row.bundle.slice(0, 12) }}</code></template
        >
        <template #act="{ row }"><BButton size="sm" variant="link" class="p-0" :disabled="busy" @click="drop(row.bundle)">Remove</BButton></template>
      </DataTable>
    </template>
  </AnswerSheet>
</template>

<style scoped>
p {
  font-size: 13px;
}
.file {
  display: inline-block;
  width: 380px;
}
</style>
