<script setup lang="ts">
import { BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import AccountTable from './AccountTable.vue'
import LoadStack from './LoadStack.vue'
import MosaicChart from '@/charts/MosaicChart.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import StateNote from '@/parts/StateNote.vue'
import { FAMILIES } from '@/state/families'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

const DIMENSIONS: Record<string, string> = { wait_family: 'wait family', wait_event: 'wait event', statement: 'statement', user: 'user', service: 'service', database: 'database', server: 'server' }

const w = useWindow()
const by = computed({ get: () => String(w.route.query.by ?? 'wait_family'), set: (value) => w.change({ by: value, against: value === against.value ? by.value : w.route.query.against }) })
const against = computed({ get: () => String(w.route.query.against ?? (by.value === 'statement' ? 'wait_family' : 'statement')), set: (value) => w.change({ against: value, by: value === by.value ? against.value : by.value }) })
const options = Object.entries(DIMENSIONS).map(([value, text]) => ({ value, text }))
const filters = computed(() => Object.entries(w.route.query).filter(([key]) => key.startsWith('filter.')).flatMap(([key, value]) => [value].flat().map((one) => ({ dimension: key.slice(7), value: String(one) }))))
const filterQuery = computed(() => Object.fromEntries(Object.keys(DIMENSIONS).map((d) => [`filter.${d}`, filters.value.filter((f) => f.dimension === d).map((f) => f.value)]).filter(([, values]) => values.length)))
const ledger = useAnswer<Schemas['Ledger']>(() => `ledger?${w.api({ by: by.value, against: against.value, ...filterQuery.value })}`, () => w.following.value)
const order = computed(() => (by.value === 'wait_family' ? [...FAMILIES] : (ledger.data.value?.accounts ?? []).map((account) => account.key)))
const label = (key: string) => ledger.data.value?.labels[key] ?? key
const add = (dimension: string, value: string) => w.change({ [`filter.${dimension}`]: value })
const remove = (dimension: string) => w.change({ [`filter.${dimension}`]: undefined })
</script>

<template>
  <AnswerSheet :answer="ledger" v-slot="{ data }">
    <div class="crumbs">
      <span>Time of <b>{{ w.scope.value }}</b></span>
      <span v-for="f in filters" :key="f.dimension + f.value" class="word">
        of {{ DIMENSIONS[f.dimension] }} <b :title="label(f.value)">{{ label(f.value).slice(0, 46) }}</b>
        <button type="button" :aria-label="`Remove the filter ${DIMENSIONS[f.dimension]}`" @click="remove(f.dimension)">take out</button>
      </span>
      <label>by <BFormSelect v-model="by" :options="options" size="sm" aria-label="Accounts by" /></label>
      <label>against <BFormSelect v-model="against" :options="options" size="sm" aria-label="Against" /></label>
      <span class="faded">{{ data.moments.toLocaleString('en-GB') }} moments sampled; ± is a 95% margin</span>
    </div>
    <StateNote v-if="!data.accounts.length" :problem="null" :working="false" has empty />
    <template v-else>
      <LoadStack :ledger="data" :order="order" :title="`Active sessions by ${DIMENSIONS[by]}; the dashed line is the reference`" :height="176" />
      <div class="cols two mt-2">
        <div>
          <h2 class="part"><span>Accounts</span></h2>
          <AccountTable :accounts="data.accounts" :by="by" :order="order" @pick="(key) => add(by, key)" />
        </div>
        <div>
          <h2 class="part"><span>{{ DIMENSIONS[by] }} within {{ DIMENSIONS[against] }}; area is time</span></h2>
          <MosaicChart :cells="data.cells" :order="order" :labels="data.labels" :by="DIMENSIONS[by]" @pick="(_, column) => add(against, column)" />
        </div>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.crumbs { display: flex; flex-wrap: wrap; gap: 6px 14px; align-items: center; font-size: 13px; margin-bottom: 6px; }
.crumbs label { display: flex; gap: 6px; align-items: center; }
.crumbs :deep(select) { width: 126px; }
.word button { border: 0; background: none; color: var(--petrol); padding: 0 2px; text-decoration: underline; font-size: 12px; }
.two { grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr); }
</style>
