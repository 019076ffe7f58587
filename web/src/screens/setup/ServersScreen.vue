<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import ConnectOne from './ConnectOne.vue'
import ConnectSeveral from './ConnectSeveral.vue'
import ServerEdit from './ServerEdit.vue'
import SetupTabs from './SetupTabs.vue'
import BulkBar from '@/parts/BulkBar.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

const w = useWindow()
const answer = useAnswer<Schemas['Connections']>(() => 'connections', () => !open.value)
const accounts = useAnswer<Schemas['AccountOut'][]>(() => 'accounts')
const search = computed({ get: () => String(w.route.query.search ?? ''), set: (value) => w.change({ search: value || undefined }) })
const retired = computed({ get: () => w.route.query.retired === '1', set: (value) => w.change({ retired: value ? '1' : undefined }) })
const adding = computed({ get: () => String(w.route.query.add ?? ''), set: (value) => w.change({ add: value || undefined }) })
const open = computed({ get: () => String(w.route.query.open ?? ''), set: (value) => w.change({ open: value || undefined }) })
const chosen = ref<string[]>([])
const rows = computed(() => (answer.data.value?.connections ?? []).filter((row) => row.retired === retired.value && `${row.server} ${row.cluster} ${row.role} ${row.engine} ${row.labels.join(' ')} ${row.address}`.toLowerCase().includes(search.value.toLowerCase())))
const all = computed(() => (answer.data.value?.connections ?? []).filter((row) => row.retired === retired.value).length)
const gone = computed(() => (answer.data.value?.connections ?? []).some((row) => row.retired))
const picked = computed(() => rows.value.filter((row) => chosen.value.includes(row.server)))
const every = computed({ get: () => rows.value.length > 0 && picked.value.length === rows.value.length, set: (on) => (chosen.value = on ? rows.value.map((row) => row.server) : []) })

const done = async () => {
  await answer.ask()
  chosen.value = chosen.value.filter((name) => rows.value.some((row) => row.server === name))
}
</script>

<template>
  <AnswerSheet :answer="answer" fill>
    <template #beside><SetupTabs /></template>
    <template #default>
      <div class="tools">
        <BButton size="sm" :variant="adding === 'one' ? 'secondary' : 'primary'" data-test="connect" @click="adding = adding === 'one' ? '' : 'one'">Connect a server</BButton>
        <BButton size="sm" variant="outline-secondary" data-test="several" @click="adding = adding === 'several' ? '' : 'several'">Several at once</BButton>
        <BFormInput v-model="search" size="sm" placeholder="Search" aria-label="Search servers" class="search" />
        <span class="faded">{{ rows.length }} of {{ all }}</span>
        <BFormCheckbox v-if="gone || retired" v-model="retired">retired</BFormCheckbox>
        <BulkBar v-if="picked.length" :servers="picked.map((row) => row.server)" :retired="retired" @done="done" />
      </div>
      <ConnectOne v-if="adding === 'one'" :accounts="accounts.data.value ?? []" @done="done" @close="adding = ''" />
      <ConnectSeveral v-if="adding === 'several'" @done="done" @close="adding = ''" />
      <div class="holder" tabindex="0">
        <table v-if="rows.length" class="ruled">
          <thead>
            <tr><th><BFormCheckbox v-model="every" aria-label="Choose all" /></th><th>server</th><th>cluster</th><th>engine</th><th class="address">address</th><th>account</th><th>labels</th><th>wanted</th><th>what is done</th></tr>
          </thead>
          <tbody>
            <template v-for="row in rows" :key="row.server">
              <tr :data-server="row.server" :class="{ chosen: open === row.server }">
                <td><BFormCheckbox v-model="chosen" :value="row.server" :aria-label="`Choose ${row.server}`" /></td>
                <td class="nowrap"><button type="button" class="plain" :aria-expanded="open === row.server" @click="open = open === row.server ? '' : row.server">{{ row.server }}</button> <span class="faded">{{ row.role }}</span></td>
                <td>{{ row.cluster }}</td>
                <td class="nowrap">{{ row.engine }} {{ row.engine_version }}</td>
                <td class="clip sql" :title="row.address">{{ row.address }}</td>
                <td class="nowrap">{{ row.account || 'none' }}<span v-if="row.account_by === 'its group'" class="faded"> by group</span></td>
                <td>{{ row.labels.join(', ') }}</td>
                <td class="nowrap">{{ row.wanted_mode === 'reading' ? 'nothing new' : row.wanted_mode }} <span v-if="row.wanted !== row.wanted_mode" class="faded">{{ row.wanted }}</span></td>
                <td :class="{ act: row.capture === 'failing' }" :title="row.capture_words">{{ row.capture === 'recording' || row.capture === 'retired' ? row.capture_words : `${row.capture}: ${row.capture_words}` }}<span v-if="row.why && row.capture !== 'paused'"> ({{ row.why }})</span></td>
              </tr>
              <tr v-if="open === row.server"><td></td><td colspan="8"><ServerEdit :row="row" :accounts="accounts.data.value ?? []" @done="done" /></td></tr>
            </template>
          </tbody>
        </table>
        <p v-else-if="all" class="faded">No server matches. <a href="#" @click.prevent="search = ''">Show all</a></p>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.tools { display: flex; gap: 12px; align-items: center; margin-bottom: 8px; font-size: 13px; flex-wrap: wrap; }
.search { width: 180px; }
.holder { overflow: auto; flex: 1; min-height: 0; }
.plain { border: 0; background: none; padding: 0; color: var(--petrol); font-weight: 600; }
.address { width: 30%; }
.nowrap { white-space: nowrap; }
td :deep(.form-check) { margin: 0; min-height: 0; }
</style>
