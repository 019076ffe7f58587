<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import ConnectOne from './ConnectOne.vue'
import ConnectSeveral from './ConnectSeveral.vue'
import ServerEdit from './ServerEdit.vue'
import SetupTabs from './SetupTabs.vue'
import BulkBar from '@/parts/BulkBar.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

const w = useWindow()
const answer = useAnswer(
  () => 'connections',
  () => api.GET('/api/connections'),
  () => !open.value,
)
const accounts = useAnswer(
  () => 'accounts',
  () => api.GET('/api/accounts'),
)
const search = computed({ get: () => String(w.route.query.search ?? ''), set: (value) => w.change({ search: value || undefined }) })
const retired = computed({ get: () => w.route.query.retired === '1', set: (value) => w.change({ retired: value ? '1' : undefined }) })
const adding = computed({ get: () => String(w.route.query.add ?? ''), set: (value) => w.change({ add: value || undefined }) })
const open = computed({ get: () => String(w.route.query.open ?? ''), set: (value) => w.change({ open: value || undefined }) })
const chosen = ref<string[]>([])
const rows = computed(() =>
  (answer.data.value?.connections ?? []).filter(
    (row) => row.retired === retired.value && `${row.server} ${row.cluster} ${row.role} ${row.engine} ${row.labels.join(' ')} ${row.address}`.toLowerCase().includes(search.value.toLowerCase()),
  ),
)
const all = computed(() => (answer.data.value?.connections ?? []).filter((row) => row.retired === retired.value).length)
const gone = computed(() => (answer.data.value?.connections ?? []).some((row) => row.retired))
const picked = computed(() => rows.value.filter((row) => chosen.value.includes(row.server)))
const every = computed({ get: () => rows.value.length > 0 && picked.value.length === rows.value.length, set: (on) => (chosen.value = on ? rows.value.map((row) => row.server) : []) })

const done = async () => {
  await answer.ask()
  chosen.value = chosen.value.filter((name) => rows.value.some((row) => row.server === name))
}
const COLUMNS: Column<Schemas['Connection']>[] = [
  { key: 'choose', title: '', width: '26px' },
  { key: 'server', title: 'server', width: '13%', value: (row) => row.server },
  { key: 'cluster', title: 'cluster', width: '7%', value: (row) => row.cluster },
  { key: 'engine', title: 'engine', width: '9%', value: (row) => `${row.engine} ${row.engine_version}` },
  { key: 'address', title: 'address', wide: true, code: true, value: (row) => row.address },
  { key: 'account', title: 'account', width: '9%', value: (row) => row.account },
  { key: 'labels', title: 'labels', width: '8%', value: (row) => row.labels.join(', ') },
  { key: 'rule', title: 'records', width: '11%', value: (row) => row.rule_mode },
  { key: 'capture', title: 'capture', width: '17%', value: (row) => row.capture },
]
</script>

<template>
  <AnswerSheet :answer="answer" fill>
    <template #beside><SetupTabs /></template>
    <template #default>
      <div class="tools">
        <BButton size="sm" :variant="adding === 'one' ? 'secondary' : 'primary'" data-test="connect" @click="adding = adding === 'one' ? '' : 'one'">Connect a server</BButton>
        <BButton size="sm" variant="outline-secondary" data-test="several" @click="adding = adding === 'several' ? '' : 'several'">Several at once</BButton>
        <BFormInput v-model="search" size="sm" placeholder="desk" aria-label="Search servers" class="search" />
        <span class="faded">{{ rows.length }} of {{ all }}</span>
        <BFormCheckbox v-if="gone || retired" v-model="retired">retired</BFormCheckbox>
        <BulkBar v-if="picked.length" :servers="picked.map((row) => row.server)" :retired="retired" @done="done" />
      </div>
      <ConnectOne v-if="adding === 'one'" :address="String(w.route.query.address ?? '')" :accounts="accounts.data.value?.accounts ?? []" @done="done" @accounts="accounts.ask" @close="adding = ''" />
      <ConnectSeveral v-if="adding === 'several'" @done="done" @close="adding = ''" />
      <div class="holder">
        <DataTable
          v-if="rows.length"
          :rows="rows"
          :columns="COLUMNS"
          :row-key="(row) => row.server"
          :chosen="open"
          opens
          :expanded="(row) => open === row.server"
          @open="(row) => (open = open === row.server ? '' : row.server)"
        >
          <BFormCheckbox v-model="every">choose all {{ rows.length }}</BFormCheckbox>
          <template #choose="{ row }"><BFormCheckbox v-model="chosen" :value="row.server" :aria-label="`Choose ${row.server}`" @click.stop /></template>
          <template #server="{ row }"
            ><b class="nowrap">{{ row.server }}</b> <span class="faded">{{ row.role }}</span></template
          >
          <template #account="{ row }">{{ row.account || 'none' }}<span v-if="row.account_by === 'its group'" class="faded"> by group</span></template>
          <template #rule="{ row }"
            >{{ row.rule_mode === 'reading' ? 'nothing new' : row.rule_mode }} <span v-if="row.rule !== row.rule_mode" class="faded">{{ row.rule }}</span></template
          >
          <template #capture="{ row }"
            ><span :class="{ act: row.capture === 'failing' }" :title="row.capture_words">{{
              row.capture === 'recording' || row.capture === 'retired' ? row.capture_words : `${row.capture}: ${row.capture_words}`
            }}</span
            ><span v-if="row.why && row.capture !== 'paused'"> ({{ row.why }})</span></template
          >
          <template #below="{ row }"><ServerEdit :row="row" :accounts="accounts.data.value?.accounts ?? []" @done="done" /></template>
        </DataTable>
        <p v-else-if="all" class="faded">No server matches. <a href="#" @click.prevent="search = ''">Show all</a></p>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-bottom: 8px;
  font-size: 13px;
  flex-wrap: wrap;
}
.search {
  width: 180px;
}
.holder {
  overflow: auto;
  flex: 1;
  min-height: 0;
}
.nowrap {
  white-space: nowrap;
}
:deep(td .form-check) {
  margin: 0;
  min-height: 0;
}
</style>
