<script setup lang="ts">
import { BButton, BFormInput, BFormSelect, BFormTextarea } from 'bootstrap-vue-next'
import { computed, reactive, ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import SetupTabs from './SetupTabs.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { may } from '@/state/me'
import { duration, said, text } from '@/state/units'
import { useWork } from '@/state/work'
import { useWindow } from '@/state/window'

/** Figures of the user's own: tried on the servers first, then recorded each minute beside all others. */
type Own = Schemas['RecordedQuery']
const w = useWindow()
const answer = useAnswer(
  () => ({ scope: w.scope.value }),
  (query) => api.GET('/api/figures', { params: { query } }),
)
const { problem, busy, run, wrong } = useWork()
const KINDS = [
  { value: 'level', text: 'level, as it is read' },
  { value: 'counter', text: 'counter, as its rate' },
]
const EMPTY = { name: '', title: '', kind: 'level' as 'level' | 'counter', unit: '', sql: '', least: '' as number | '', most: '' as number | '' }
const figure = reactive({ ...EMPTY })
const scope = ref('')
const checked = ref<Schemas['CheckedFigure'][] | null>(null)
const done = ref('')
const takes = computed(() => answer.data.value?.takes ?? [])
const scopes = computed(() => [...new Set([w.scope.value, ...takes.value])])
const chosen = computed({ get: () => scope.value || (takes.value.includes(w.scope.value) ? w.scope.value : (takes.value[0] ?? w.scope.value)), set: (value) => (scope.value = value) })
const limit = (given: number | '' | null) => (given === '' || given === null || Number.isNaN(Number(given)) ? null : Number(given))
const body = () => ({ scope: chosen.value, figure: { ...figure, name: figure.name.trim(), least: limit(figure.least), most: limit(figure.most) } })
const check = () =>
  run(async () => {
    done.value = ''
    checked.value = await answered(api.POST('/api/figures/check', { body: body() }))
  })
const keep = () =>
  run(async () => {
    await answered(api.PUT('/api/figures', { body: body() }))
    done.value = `${figure.name} is recorded on ${chosen.value} from the next minute on.`
    checked.value = null
    Object.assign(figure, EMPTY)
    await answer.ask()
  })
const drop = (one: Own) =>
  run(async () => {
    for (const server of one.servers) await answered(api.DELETE('/api/figures/{name}', { params: { path: { name: one.figure.name }, query: { scope: server } } }))
    done.value = `${one.figure.name} is recorded no more; what was recorded stays.`
    await answer.ask()
  })
const edit = (one: Own) => {
  Object.assign(figure, { ...EMPTY, ...one.figure, least: one.figure.least ?? '', most: one.figure.most ?? '' })
  scope.value = one.servers[0] ?? ''
  checked.value = null
}
const limits = (one: Own['figure']) =>
  [one.least === null ? '' : `at least ${text(said(one.least, one.unit))}`, one.most === null ? '' : `at most ${text(said(one.most, one.unit))}`].filter(Boolean).join(', ')
const COLUMNS: Column<Own>[] = [
  { key: 'name', title: 'figure', width: '150px', value: (one) => one.figure.name },
  { key: 'title', title: 'title', width: '170px', value: (one) => one.figure.title },
  { key: 'values', title: 'last values', width: '220px' },
  { key: 'limits', title: 'limits', width: '120px', value: (one) => limits(one.figure) },
  { key: 'servers', title: 'recorded on', width: '190px', value: (one) => one.servers.join(', ') },
  { key: 'sql', title: 'query', wide: true, code: true, value: (one) => one.figure.sql },
  { key: 'act', title: '', width: '104px' },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.sentence }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <DataTable v-if="data.figures.length" :rows="data.figures" :columns="COLUMNS" :row-key="(one) => one.figure.name + one.figure.sql + one.figure.unit">
        <template #values="{ row }">
          <span v-for="one in row.values.slice(0, 3)" :key="one.server + one.column" class="me-2"
            ><a :href="`/strips?band=${encodeURIComponent(`figure:${one.server}:${one.column}`)}`" :title="`${one.server} ${one.label}`">{{ text(said(one.value, row.figure.unit)) }}</a></span
          >
          <span v-if="row.silent.length" class="act" :title="row.silent.join(', ')">none lately from {{ row.silent.length === 1 ? row.silent[0] : `${row.silent.length} servers` }}</span>
        </template>
        <template #servers="{ row }"
          ><SubjectLink v-for="one in row.servers.slice(0, 2)" :key="one" kind="server" :name="one" class="me-2" /><span v-if="row.servers.length > 2" class="faded"
            >and {{ row.servers.length - 2 }} more</span
          ></template
        >
        <template #sql="{ row }"
          ><span :title="row.figure.sql">{{ row.figure.sql }}</span></template
        >
        <template #act="{ row }"
          ><template v-if="may('engineer')"
            ><button type="button" class="btn btn-link btn-sm p-0 me-2" @click="edit(row)">edit</button
            ><button type="button" class="btn btn-link btn-sm p-0" :aria-label="`Record ${row.figure.name} no more`" @click="drop(row)">remove</button></template
          ></template
        >
      </DataTable>
      <p v-if="done" role="status" class="mt-2 mb-0">{{ done }}</p>
      <h2 class="part mt-3"><span>A figure of your own</span></h2>
      <p v-if="!data.takes.length" class="faded">Queries are asked of databases that are reached by their own protocol; {{ w.scope.value }} has none. Connect one under Servers.</p>
      <form v-else class="form-grid own" data-test="figure" @submit.prevent="keep">
        <label for="own-scope">On</label>
        <div class="form-line"><BFormSelect id="own-scope" v-model="chosen" :options="scopes" size="sm" class="short" /></div>
        <label for="own-name">Name</label>
        <div class="form-line">
          <BFormInput id="own-name" v-model="figure.name" size="sm" class="short" placeholder="holds_waiting" :state="wrong('figure.name')" />
          <label for="own-title" class="faded">title</label><BFormInput id="own-title" v-model="figure.title" size="sm" placeholder="Holds that wait for a copy" />
        </div>
        <label for="own-kind">Kind</label>
        <div class="form-line">
          <BFormSelect id="own-kind" v-model="figure.kind" :options="KINDS" size="sm" class="kind" />
          <label for="own-unit" class="faded">unit</label><BFormInput id="own-unit" v-model="figure.unit" size="sm" class="unit-input" placeholder="s, B, or none" />
        </div>
        <label for="own-most">Limits</label>
        <div class="form-line">
          <label for="own-least" class="faded">at least</label><BFormInput id="own-least" v-model="figure.least" type="number" step="any" size="sm" class="unit-input" />
          <label for="own-most" class="faded">at most</label><BFormInput id="own-most" v-model="figure.most" type="number" step="any" size="sm" class="unit-input" :state="wrong('figure.most')" />
          <span class="faded small">outside them for three minutes, it is a finding; both may be empty</span>
        </div>
        <label for="own-sql">Query</label>
        <div>
          <BFormTextarea
            id="own-sql"
            v-model="figure.sql"
            size="sm"
            class="figure"
            :rows="3"
            :max-rows="10"
            placeholder="SELECT pickup_branch AS label, count(*) AS value FROM hold WHERE filled IS NULL GROUP BY 1"
            :state="wrong('sql')"
          />
          <span class="faded small">a column value, and label where there are several; asked each minute, read-only, for two seconds at most</span>
        </div>
        <span></span>
        <div class="form-line">
          <BButton type="button" size="sm" variant="outline-secondary" :disabled="busy || !figure.sql.trim() || !figure.name.trim()" data-test="check" @click="check">Try it</BButton>
          <BButton type="submit" size="sm" variant="primary" :disabled="busy || !figure.sql.trim() || !figure.name.trim() || !may('engineer')" data-test="keep">Record it</BButton>
          <ProblemLine :problem="problem" />
        </div>
        <template v-if="checked">
          <span>Gives</span>
          <div data-test="checked">
            <p v-for="one in checked" :key="one.server" class="mb-1">
              <b>{{ one.server }}</b>: <span v-if="one.problem" class="act">{{ one.problem }}</span>
              <template v-else
                >{{ one.rows }} {{ one.rows === 1 ? 'row' : 'rows' }} in {{ text(duration(one.took_s)) }}:
                <span v-for="value in one.values" :key="value.label" class="me-2">{{ value.label }} {{ text(said(value.value, figure.unit)) }}</span></template
              >
            </p>
          </div>
        </template>
      </form>
      <template v-if="data.scraped.length">
        <h2 class="part mt-3"><span>OpenMetrics text beside servers</span></h2>
        <p v-for="one in data.scraped" :key="one.server" class="mb-1">
          <SubjectLink kind="server" :name="one.server" />: <code v-for="address in one.addresses" :key="address" class="me-2">{{ address }}</code>
        </p>
      </template>
      <p class="faded mt-2">Addresses of OpenMetrics text are given with the server, under Servers.</p>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.own {
  align-items: start;
  grid-template-columns: 60px minmax(0, 1fr);
  max-width: 860px;
}
.short {
  width: 200px;
}
.kind {
  width: 190px;
}
.unit-input {
  width: 130px;
}
</style>
