<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import PartRoles from './PartRoles.vue'
import SetupTabs from './SetupTabs.vue'
import { useWork } from '@/state/work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { may, me } from '@/state/me'
import { clock, day } from '@/state/units'

const ROLES = ['viewer', 'engineer', 'administrator'] as const
const FLEET_ROLES = [{ value: 'none', text: 'none' }, ...ROLES.map((role) => ({ value: role, text: role }))]
type Role = (typeof ROLES)[number]
const leads = () => (may('administrator') ? 'administrator' : null)
const tokens = useAnswer(
  () => 'tokens',
  () => api.GET('/api/tokens'),
)
const people = useAnswer(leads, () => api.GET('/api/people'))
const audit = useAnswer(leads, () => api.GET('/api/audit', { params: { query: { most: 100 } } }))
const chain = useAnswer(leads, () => api.GET('/api/audit/state'))
const { problem, busy, run, wrong } = useWork()
const person = ref({ name: '', role: 'viewer' as Role | 'none', grants: [], password: '' })
const token = ref({ name: '', scope: 'viewer' as Role, days: 90 })
const made = ref('')
const at = (us: number) => `${day(us)} ${clock(us)}`
const sentence = computed(() => people.data.value?.sentence ?? me.value?.words)
const again = () => Promise.all([people.ask(), tokens.ask(), audit.ask()])
const add = () =>
  run(async () => {
    await answered(api.POST('/api/people', { body: person.value }))
    person.value = { name: '', role: 'viewer', grants: [], password: '' }
    await again()
  })
const change = (name: string, body: Schemas['PersonEdit']) =>
  run(async () => {
    try {
      await answered(api.PATCH('/api/people/{name}', { params: { path: { name } }, body }))
    } finally {
      await again()
    }
  })
const make = () =>
  run(async () => {
    made.value = (await answered(api.POST('/api/tokens', { body: token.value }))).token ?? ''
    token.value.name = ''
    await again()
  })
const withdraw = (id: number) =>
  run(async () => {
    await answered(api.DELETE('/api/tokens/{token}', { params: { path: { token: id } } }))
    await again()
  })
const PEOPLE: Column<Schemas['PersonOut']>[] = [
  { key: 'name', title: 'name', value: (one) => one.name },
  { key: 'role', title: 'role for the fleet', width: '150px', value: (one) => one.role },
  { key: 'parts', title: 'roles for clusters and labels', width: '34%' },
  { key: 'factor', title: 'second factor', value: (one) => (one.second_factor ? 'on' : 'off') },
  { key: 'seen', title: 'last seen', value: (one) => one.seen_us },
  { key: 'act', title: '' },
]
const TOKENS: Column<Schemas['TokenOut']>[] = [
  { key: 'name', title: 'token', value: (one) => one.name },
  { key: 'person', title: 'of', value: (one) => one.person },
  { key: 'scope', title: 'may', value: (one) => one.scope },
  { key: 'ends', title: 'ends', value: (one) => one.ends_us },
  { key: 'used', title: 'used', value: (one) => one.used_us },
  { key: 'act', title: '' },
]
const AUDIT: Column<Schemas['AuditLine']>[] = [
  { key: 'at', title: 'when', value: (one) => one.at_us },
  { key: 'who', title: 'who', value: (one) => one.who },
  { key: 'action', title: 'did', value: (one) => `${one.action} ${one.object.replace('/api/', '')}` },
  { key: 'words', title: 'what changed', value: (one) => one.words },
  { key: 'client', title: 'from', value: (one) => one.client },
]
</script>

<template>
  <AnswerSheet :answer="tokens">
    <template #sentence>{{ sentence }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <ProblemLine :problem="problem" />
      <div class="cols two">
        <div>
          <template v-if="people.data.value">
            <h2 class="part"><span>People</span></h2>
            <DataTable class="mb-2" :rows="people.data.value.people" :columns="PEOPLE" :row-key="(one) => one.name">
              <template #name="{ row }"
                ><b>{{ row.name }}</b></template
              >
              <template #role="{ row }"
                ><BFormSelect
                  :model-value="row.role"
                  :options="FLEET_ROLES"
                  size="sm"
                  :aria-label="`Role of ${row.name}`"
                  @update:model-value="(role) => change(row.name, { role: (['none', ...ROLES] as const).find((one) => one === role) })"
              /></template>
              <template #parts="{ row }"
                ><PartRoles :person="row.name" :grants="row.grants" :groups="people.data.value.groups" :busy="busy" @change="(grants) => change(row.name, { grants })"
              /></template>
              <template #seen="{ row }"
                ><span class="figure">{{ row.seen_us ? at(row.seen_us) : 'not signed in' }}</span></template
              >
              <template #act="{ row }"
                ><BButton size="sm" variant="link" :disabled="busy || row.name === me?.name" @click="change(row.name, { barred: !row.barred })">{{ row.barred ? 'Unblock' : 'Block' }}</BButton
                ><BButton v-if="row.second_factor" size="sm" variant="link" :disabled="busy" title="Switches their second factor off" @click="change(row.name, { second_factor: false })"
                  >Device lost</BButton
                ></template
              >
            </DataTable>
            <form class="form-line mt-2 mb-3" @submit.prevent="add">
              <BFormInput v-model="person.name" size="sm" placeholder="name" aria-label="Name" :state="wrong('name')" autocomplete="off" data-test="person-name" />
              <BFormSelect v-model="person.role" :options="FLEET_ROLES" size="sm" aria-label="Role for the fleet" />
              <BFormInput
                v-model="person.password"
                size="sm"
                type="password"
                placeholder="a password that is not easily guessed"
                aria-label="First password"
                :state="wrong('password')"
                autocomplete="new-password"
                data-test="person-password"
              />
              <BButton type="submit" size="sm" variant="primary" :disabled="busy || !person.name || !person.password" data-test="person-add">Add</BButton>
            </form>
          </template>
          <h2 class="part"><span>Tokens of programs</span></h2>
          <DataTable v-if="data.length" class="mb-2" :rows="data" :columns="TOKENS" :row-key="(one) => one.id">
            <template #name="{ row }"
              ><b>{{ row.name }}</b></template
            >
            <template #ends="{ row }"
              ><span class="figure">{{ at(row.ends_us) }}</span></template
            >
            <template #used="{ row }"
              ><span class="figure">{{ row.used_us ? at(row.used_us) : 'never' }}</span></template
            >
            <template #act="{ row }"
              ><span v-if="row.withdrawn" class="faded">revoked</span><BButton v-else size="sm" variant="link" :disabled="busy" @click="withdraw(row.id)">Revoke</BButton></template
            >
          </DataTable>
          <form class="form-line" @submit.prevent="make">
            <BFormInput v-model="token.name" size="sm" placeholder="what it is for" aria-label="Name of the token" />
            <BFormSelect v-model="token.scope" :options="ROLES.filter(may)" size="sm" aria-label="Scope" />
            <BFormInput v-model.number="token.days" size="sm" type="number" min="1" max="365" aria-label="Days" class="days" /> days
            <BButton type="submit" size="sm" variant="primary" :disabled="busy || !token.name" data-test="token-make">Make</BButton>
          </form>
          <p v-if="made" class="made" role="status">
            Copy it now, it is not shown again: <code data-test="token">{{ made }}</code>
          </p>
        </div>
        <div v-if="audit.data.value">
          <h2 class="part"><span>Who changed what</span></h2>
          <DataTable :rows="audit.data.value" :columns="AUDIT" :row-key="(one) => one.id">
            <template #at="{ row }"
              ><span class="figure">{{ at(row.at_us) }}</span></template
            >
            <template #words="{ row }"
              ><span class="changes" :title="row.words">{{ row.words }}</span></template
            >
          </DataTable>
          <p class="faded mt-2">
            {{ chain.data.value?.words }}
            <a href="/api/audit/export" download>All of it as JSON lines</a>
          </p>
        </div>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.two {
  grid-template-columns: minmax(0, 1fr);
  gap: 16px;
  align-items: start;
}
.changes {
  display: inline-block;
  max-width: 560px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  vertical-align: bottom;
}
.days {
  width: 80px;
  flex: none;
}
.made {
  font-size: 13px;
  margin: 8px 0 0;
}
</style>
