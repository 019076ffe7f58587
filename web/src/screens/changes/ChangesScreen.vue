<script setup lang="ts">
import { BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import ChangeLanes from './ChangeLanes.vue'
import EffectBrackets from './EffectBrackets.vue'
import NewNote from './NewNote.vue'
import { answered, api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

type Row = Schemas['ChangeRow']
const KINDS = ['setting', 'schema', 'plan', 'statement', 'upkeep', 'software', 'hardware', 'member', 'job', 'deployment', 'note'] as const
const w = useWindow()
const kind = computed({ get: () => String(w.route.query.kind ?? ''), set: (value) => w.change({ kind: value || undefined, open: undefined }) })
const search = computed({ get: () => String(w.route.query.search ?? ''), set: (value) => w.change({ search: value || undefined }) })
const answer = useAnswer(
  () => ({ ...w.asked.value, kind: KINDS.filter((one) => one === kind.value), search: search.value }),
  (query) => api.GET('/api/changes', { params: { query } }),
  () => w.following.value,
)
const key = (row: Row) => `${row.at_us}.${row.server}.${row.title}`
const rows = computed(() => answer.data.value?.changes ?? [])
const first = computed(() => rows.value[answer.data.value?.leads ?? 0] ?? null)
const chosen = computed(() => rows.value.find((row) => key(row) === w.route.query.open) ?? first.value)
const choices = computed(() => [{ value: '', text: 'any kind' }, ...Object.entries(answer.data.value?.kinds ?? {}).map(([value, count]) => ({ value, text: `${value} (${count})` }))])
const COLUMNS: Column<Row>[] = [
  { key: 'at', title: 'when', width: '88px', value: (row) => row.at_us },
  { key: 'server', title: 'server', width: '88px', value: (row) => row.server },
  { key: 'title', title: 'what', wide: true, value: (row) => row.title },
  { key: 'words', title: 'a difference', width: '128px', value: (row) => row.shown },
]
const SHOWN: Record<Row['shown'], string> = { shown: 'shown', 'no difference shown': 'none shown', 'cannot tell': 'cannot tell' }
const open = (row: Row) => w.change({ open: key(row) })
const compared = (row: Row) => ({ name: 'compare', query: { scope: row.server, focus: row.after_span, reference: row.before_span } })
const { problem, run } = useWork()
const remove = (row: Row) => run(async () => (await answered(api.DELETE('/api/changes/{change_id}', { params: { path: { change_id: row.id! } } })), await answer.ask()))
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer" fill>
    <div class="tool-line">
      <BFormSelect v-model="kind" :options="choices" size="sm" aria-label="Kind of change" class="narrow" />
      <BFormInput v-model="search" debounce="250" size="sm" placeholder="sort_memory" aria-label="Search the changes" class="narrow" />
      <RouterLink :to="{ name: 'recurrences', query: { ...w.kept.value, ...(w.scope.value !== 'fleet' && { scope: w.scope.value }) } }">jobs that come back</RouterLink>
      <NewNote @done="answer.ask" />
    </div>
    <ChangeLanes :rows="rows" :chosen="chosen ? key(chosen) : null" @pick="open" />
    <p v-if="!rows.length" class="faded mt-2">Settings, schema, plans, upkeep, restarts, new statements and what is noted stand here. Widen the focus on the tape, or note a deployment above.</p>
    <div v-else class="cols two mt-2">
      <div class="list">
        <DataTable fill opens :rows="rows" :columns="COLUMNS" :row-key="key" :chosen="chosen ? key(chosen) : null" @open="open">
          <template #at="{ row }"
            ><span :title="`${day(row.at_us)} ${clock(row.at_us, true)}`">{{ day(row.at_us).split(' ')[0] }} {{ clock(row.at_us) }}</span></template
          >
          <template #server="{ row }"><SubjectLink kind="server" :name="row.server" /></template>
          <template #title="{ row }"
            ><span :title="`${row.kind}: ${row.title} ${row.object}`"
              >{{ row.title }} <span v-if="row.fingerprint" class="sql">{{ row.object }}</span></span
            ></template
          >
          <template #words="{ row }"
            ><span :class="row.shown === 'shown' ? 'strong' : 'faded'" :title="row.words">{{ SHOWN[row.shown] }}</span></template
          >
        </DataTable>
        <p v-if="data.left_out" class="faded mb-0">{{ data.left_out }} older changes are not listed; narrow the focus or choose a kind.</p>
      </div>
      <section v-if="chosen" class="detail" data-test="followed">
        <h2 class="part">
          <span
            >{{ clock(chosen.at_us, true) }} on {{ chosen.server }}<template v-if="chosen.who">, by {{ chosen.who }}</template></span
          >
          <button v-if="chosen.noted" type="button" class="btn btn-link btn-sm p-0" @click="remove(chosen)">delete the note</button>
        </h2>
        <p class="mb-1">
          <b>{{ chosen.title }}</b><template v-if="chosen.before || chosen.after">: {{ chosen.before || 'nothing' }} → {{ chosen.after || 'nothing' }}</template>
        </p>
        <ProblemLine :problem="problem" />
        <EffectBrackets :effects="chosen.effects" />
        <p v-if="chosen.besides.length" class="faded mb-1 mt-1">Within the hour there also changed: {{ chosen.besides.slice(0, 4).join('; ') }}. Which of them it was cannot be told from this.</p>
        <p v-if="chosen.findings.length" class="mb-1 mt-1" data-test="findings">
          Began about then:
          <template v-for="(one, i) in chosen.findings.slice(0, 3)" :key="one.id"
            ><template v-if="i">, </template><RouterLink :to="{ name: 'findings', query: { ...w.kept.value, scope: chosen.server, open: String(one.id) } }">{{ one.title }}</RouterLink></template
          >
        </p>
        <p class="links mb-0">
          <SubjectLink v-if="chosen.fingerprint" kind="statement" :name="chosen.fingerprint" :server="chosen.server">the statement</SubjectLink>
          <RouterLink v-if="chosen.after_span" :to="compared(chosen)">the time after against the time before</RouterLink>
        </p>
      </section>
    </div>
  </AnswerSheet>
</template>

<style scoped>
.narrow {
  width: 150px;
}
.tool-line :deep(form) {
  margin-left: auto;
}
.two {
  grid-template-columns: minmax(0, 1.15fr) minmax(0, 1fr);
  flex: 1;
  min-height: 0;
}
.list {
  min-height: 0;
  display: flex;
  flex-direction: column;
}
.links {
  display: flex;
  gap: 14px;
}
.detail {
  min-height: 0;
  overflow: auto;
  font-size: 13px;
}
</style>
