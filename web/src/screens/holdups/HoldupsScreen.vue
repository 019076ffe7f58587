<script setup lang="ts">
import { BFormSelect } from 'bootstrap-vue-next'
import { computed } from 'vue'
import HoldupLanes from './HoldupLanes.vue'
import LostList from './LostList.vue'
import { drawn } from './doings'
import { api, type Schemas } from '@/api/client'
import StackChart from '@/charts/StackChart.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import ReferenceNote from '@/parts/ReferenceNote.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { clock, day, duration, share, text } from '@/state/units'
import { useWindow } from '@/state/window'

type Tree = Schemas['TreeRow']
const w = useWindow()
const of = (name: string) => [w.route.query[name] ?? []].flat().map(String)
const asked = computed(() => ({
  ...w.asked.value,
  'filter.service': of('filter.service'),
  'filter.user': of('filter.user'),
  'filter.object': of('filter.object'),
  tree: String(w.route.query.tree ?? ''),
}))
const answer = useAnswer(
  () => asked.value,
  (query) => api.GET('/api/holdups', { params: { query } }),
  () => w.following.value,
)
const choice = (name: string) => computed({ get: () => of(name)[0] ?? '', set: (value) => w.change({ [name]: value || undefined, tree: undefined }) })
const [service, user, object] = ['filter.service', 'filter.user', 'filter.object'].map(choice)
const choices = (all: string, names: string[], now: string) => [{ value: '', text: all }, ...[...new Set([...names, ...(now ? [now] : [])])].map((value) => ({ value, text: value }))]
const chosen = computed(() => answer.data.value?.trees.find((one) => one.key === answer.data.value?.lanes?.key) ?? null)
const COLUMNS: Column<Tree>[] = [
  { key: 'from', title: 'began', width: '104px', value: (row) => row.from_us },
  { key: 'server', title: 'server', width: '92px', value: (row) => row.server },
  { key: 'who', title: 'held by', width: '150px', value: (row) => row.service },
  { key: 'words', title: 'what it did', wide: true, value: (row) => row.words },
  { key: 'object', title: 'rows of', width: '110px', value: (row) => row.object },
  { key: 'length', title: 'lasted', unit: 's', width: '76px', value: (row) => (row.until_us - row.from_us) / 1e6 },
  { key: 'waited', title: 'others waited', unit: 's', width: '108px', bar: true, value: (row) => row.waited_s },
  { key: 'share', title: 'share', unit: 'share', width: '58px', value: (row) => row.share },
]
const select = (row: Tree) => w.change({ tree: row.key })
const frame = (row: Tree) => {
  const room = Math.max(30e6, row.until_us - row.from_us)
  return w.setFocus({ from: row.from_us - room, to: row.until_us + room })
}
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer">
    <div class="tool-line">
      <span
        >Holdups of <b>{{ w.scope.value }}</b></span
      >
      <span class="pick">of <BFormSelect v-model="service" :options="choices('any service', data.services, service)" size="sm" aria-label="Service" /></span>
      <span class="pick">by <BFormSelect v-model="user" :options="choices('any user', data.users, user)" size="sm" aria-label="User" /></span>
      <span class="pick"
        >on
        <BFormSelect
          v-model="object"
          :options="
            choices(
              'any rows',
              data.objects.map((one) => one.name),
              object,
            )
          "
          size="sm"
          aria-label="Rows of"
      /></span>
      <span class="faded">{{ text(duration(data.seconds)) }} looked at</span>
    </div>
    <ReferenceNote v-if="data.reference_note" :note="data.reference_note" />
    <p v-if="data.unknown.length" class="faded mb-1">Not known: {{ data.unknown.join('; ') }}.</p>
    <template v-if="data.trees.length">
      <div class="cols top">
        <StackChart
          :stack="data.over_time"
          title="Sessions that waited for others, by what the one they waited for did"
          :height="118"
          :name-of="(key) => key"
          :token-of="(key) => drawn(key).token"
          :hatched="(key) => drawn(key).hatched"
        />
        <LostList title="Rows of" :lost="data.objects" @pick="(name) => w.change({ 'filter.object': name, tree: undefined })" />
        <LostList title="Waited for" :lost="data.events" />
      </div>
      <h2 class="part mt-2">
        <span
          >{{ data.found }} {{ data.found === 1 ? 'holdup' : 'holdups' }}<template v-if="data.found > data.trees.length">, the {{ data.trees.length }} longest of them</template></span
        >
      </h2>
      <div class="list" tabindex="0" role="group" aria-label="Holdups">
        <DataTable :rows="data.trees" :columns="COLUMNS" :row-key="(row) => row.key" :chosen="data.lanes?.key" opens @open="select">
          <template #from="{ row }">{{ day(row.from_us).split(' ')[0] }} {{ clock(row.from_us, true) }}</template>
          <template #server="{ row }"><SubjectLink kind="server" :name="row.server" /></template>
          <template #who="{ row }"
            ><span :title="`session ${row.session}, user ${row.user || 'not known'}`">{{ row.service || row.user || `session ${row.session}` }}</span></template
          >
          <template #words="{ row }"
            ><span :title="row.words">{{ row.words }}</span></template
          >
          <template #length="{ row }"><FigureText :value="(row.until_us - row.from_us) / 1e6" unit="s" /></template>
        </DataTable>
      </div>
      <template v-if="chosen && data.lanes">
        <h2 class="part mt-2">
          <span>Session {{ chosen.session }} on {{ chosen.server }} {{ chosen.words }} ({{ share(chosen.share) }})</span>
          <button type="button" class="btn btn-link btn-sm p-0" @click="frame(chosen)">frame it on the tape</button>
          <RouterLink v-if="chosen.goes_on" class="btn btn-link btn-sm p-0" :to="{ path: '/now', query: { scope: chosen.server } }">it may go on: see it now, or end it</RouterLink>
        </h2>
        <HoldupLanes :tree="chosen" :lanes="data.lanes" />
      </template>
    </template>
    <p v-else class="faded">
      {{ data.seconds ? 'Where sessions wait for a lock, the one that holds it stands here with everyone behind it.' : 'Move the focus on the tape to a time at which sessions were looked at.' }}
    </p>
    <template v-if="data.deadlocks.length">
      <h2 class="part mt-3"><span>Deadlocks by the log</span></h2>
      <div v-for="one in data.deadlocks" :key="one.shape + one.fingerprint" class="deadlock">
        <p class="mb-1">
          <b>{{ one.count }}×</b> {{ one.shape }}
          <span class="faded">{{ clock(one.first_us) }} to {{ clock(one.last_us) }}{{ one.services.length ? `, of ${one.services.join(', ')}` : '' }}</span>
        </p>
        <p v-if="one.fingerprint" class="mb-1">
          Given up: <SubjectLink kind="statement" :name="one.fingerprint" class="sql">{{ one.text }}</SubjectLink>
        </p>
        <pre v-if="one.detail" class="sql mb-1">{{ one.detail }}</pre>
      </div>
    </template>
    <p v-if="data.circles.length" class="faded">
      Seen waiting in a circle: <span v-for="one in data.circles" :key="one.at_us + one.server">{{ one.server }} at {{ clock(one.at_us, true) }}, sessions {{ one.sessions.join(' → ') }}. </span>
    </p>
  </AnswerSheet>
</template>

<style scoped>
.tool-line :deep(select) {
  width: 150px;
}
.top {
  grid-template-columns: minmax(0, 1.9fr) minmax(0, 1fr) minmax(0, 1fr);
}
.list {
  max-height: 202px;
  overflow: auto;
}
.deadlock pre {
  white-space: pre-wrap;
  border-left: 3px solid var(--rule);
  padding-left: 10px;
}
</style>
