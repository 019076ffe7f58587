<script setup lang="ts">
import { BFormCheckbox, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import ExplainedSteps from './ExplainedSteps.vue'
import SpineTable from './SpineTable.vue'
import { api } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import type { Schemas } from '@/api/client'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

/** Two sides beside each other: two windows, servers, clusters, users, services or statements; only what differs, unless all is asked for. */
type Unlike = Schemas['Unlike']
const w = useWindow()
const part = (name: string) => computed({ get: () => String(w.route.query[name] ?? ''), set: (value) => w.change({ [name]: value || undefined }) })
const other = part('with')
const [service, user, otherService, otherUser] = ['service', 'user', 'with.service', 'with.user'].map(part)
const statement = part('statement')
const all = computed({ get: () => w.route.query.show === 'all', set: (on) => w.change({ show: on ? 'all' : undefined }) })
const answer = useAnswer(
  () => ({
    ...w.asked.value,
    with: other.value,
    service: service.value,
    user: user.value,
    statement: statement.value,
    'with.service': otherService.value || service.value,
    'with.user': otherUser.value || user.value,
    'with.statement': String(w.route.query['with.statement'] ?? statement.value),
  }),
  (query) => api.GET('/api/compare', { params: { query } }),
)
const fleet = useAnswer(
  () => ({}),
  () => api.GET('/api/fleet'),
)
const scopes = computed(() => [
  { value: '', text: 'another time' },
  ...(fleet.data.value?.clusters ?? []).flatMap((cluster) => [
    { value: cluster.cluster, text: `cluster ${cluster.cluster}` },
    ...cluster.lines.map((line) => ({ value: line.server, text: line.capture === 'opened' ? `bundle ${line.server}` : line.server })),
  ]),
])
const COLUMNS: Column<Unlike>[] = [
  { key: 'kind', title: 'not the same', width: '110px', value: (one) => one.kind },
  { key: 'name', title: '', wide: true, value: (one) => one.name },
  { key: 'left', title: 'left', width: '22%', value: (one) => one.left },
  { key: 'right', title: 'right', width: '22%', value: (one) => one.right },
]
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer">
    <div class="sides">
      <span class="faded">right</span>
      <b>{{ data.right.words }}</b>
      <span></span>
      <BFormInput v-model="service" debounce="400" size="sm" placeholder="loans" aria-label="Service of the right side" />
      <BFormInput v-model="user" debounce="400" size="sm" placeholder="desk_app" aria-label="User of the right side" />
      <BFormCheckbox v-model="all" size="sm">also what is the same ({{ data.same }})</BFormCheckbox>
      <span class="faded">left</span>
      <b>{{ data.left.words }}</b>
      <BFormSelect v-model="other" :options="scopes" size="sm" aria-label="Compare with" />
      <BFormInput v-model="otherService" debounce="400" size="sm" placeholder="returns" aria-label="Service of the left side" />
      <BFormInput v-model="otherUser" debounce="400" size="sm" placeholder="kiosk_app" aria-label="User of the left side" />
    </div>
    <p class="faded small-words mb-1">
      The right side is the focus; the left is the reference on the tape, a server or bundle you choose, or the same time a week before; a bundle of another time is taken whole. Intervals are of 95%,
      from minutes.
    </p>
    <p v-for="note in data.notes" :key="note" class="faded mb-1">{{ note }}</p>
    <SpineTable :figures="data.figures" left="left" right="right" :all="all" />
    <ExplainedSteps v-if="data.explained" :explained="data.explained" :scope="data.right.scope" />
    <p v-else class="faded mt-2">What explains the difference is not known: statements were not counted on both sides.</p>
    <div v-if="data.unlike.length" class="mt-3">
      <DataTable :rows="data.unlike" :columns="COLUMNS" :row-key="(one) => one.kind + one.name + one.left + one.right">
        <template #name="{ row }"
          ><SubjectLink v-if="row.fingerprint" kind="statement" :name="row.fingerprint" :server="data.right.scope" class="sql" :title="row.name">{{ row.name }}</SubjectLink
          ><template v-else>{{ row.name }}</template></template
        >
      </DataTable>
    </div>
  </AnswerSheet>
</template>

<style scoped>
.sides {
  display: grid;
  grid-template-columns: 40px minmax(200px, auto) 150px 110px 110px 1fr;
  gap: 5px 10px;
  align-items: center;
  font-size: 13px;
  margin-bottom: 6px;
  justify-content: start;
}
</style>
