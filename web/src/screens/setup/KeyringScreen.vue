<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput, BFormTextarea } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import SetupTabs from './SetupTabs.vue'
import { useWork, words } from '@/state/work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'

const answer = useAnswer(
  () => 'accounts',
  () => api.GET('/api/accounts'),
)
const { problem, busy, run, wrong } = useWork()
const EMPTY = { name: '', user: '', secret: '', groups: '', hosts: '', people: '', plain_text: false, certificate: '' }
const form = ref({ ...EMPTY })
const editing = ref('')
const COLUMNS: Column<Schemas['AccountOut']>[] = [
  { key: 'name', title: 'account', value: (one) => one.name },
  { key: 'user', title: 'signs in as', value: (one) => one.user || 'a token' },
  { key: 'secret', title: 'secret' },
  { key: 'hosts', title: 'sent to', value: (one) => one.hosts.join(', ') || 'no host yet' },
  { key: 'way', title: 'encrypted', value: (one) => (one.plain_text ? 'not always' : one.certificate ? 'own authority' : 'always') },
  { key: 'people', title: 'used by', value: (one) => one.people.join(', ') || 'all engineers' },
  { key: 'groups', title: 'for groups', value: (one) => one.groups.join(', ') },
  { key: 'servers', title: 'servers that use it', value: (one) => one.servers.join(', ') || 'none' },
  { key: 'changed', title: 'changed', value: (one) => one.changed_us },
  { key: 'act', title: '' },
]

function change(account: Schemas['AccountOut']) {
  editing.value = account.name
  const { name, user, plain_text, certificate } = account
  form.value = { name, user, secret: '', groups: account.groups.join(', '), hosts: account.hosts.join(', '), people: account.people.join(', '), plain_text, certificate }
}
function clear() {
  editing.value = ''
  form.value = { ...EMPTY }
}
const save = () =>
  run(async () => {
    const { name, secret, ...rest } = form.value
    const body = { ...rest, groups: words(rest.groups), hosts: words(rest.hosts), people: words(rest.people) }
    if (editing.value) await answered(api.PATCH('/api/accounts/{account}', { params: { path: { account: editing.value } }, body: { ...body, ...(secret && { secret }) } }))
    else await answered(api.POST('/api/accounts', { body: { ...body, name, secret } }))
    clear()
    await answer.ask()
  })
const drop = (name: string) =>
  run(async () => {
    await answered(api.DELETE('/api/accounts/{account}', { params: { path: { account: name } } }))
    if (editing.value === name) clear()
    await answer.ask()
  })
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.sentence }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <DataTable v-if="data.accounts.length" class="mb-3" :rows="data.accounts" :columns="COLUMNS" :row-key="(one) => one.name" :chosen="editing">
        <template #name="{ row }"
          ><b>{{ row.name }}</b></template
        >
        <template #secret><span class="faded">kept</span></template>
        <template #changed="{ row }"
          ><span class="figure">{{ day(row.changed_us) }} {{ clock(row.changed_us) }}</span></template
        >
        <template #act="{ row }"
          ><BButton size="sm" variant="link" @click="change(row)">Change</BButton><BButton size="sm" variant="link" :disabled="busy" @click="drop(row.name)">Remove</BButton></template
        >
      </DataTable>
      <h2 class="part mt-3">
        <span>{{ editing ? `Change ${editing}` : 'Add an account' }}</span>
      </h2>
      <form class="form-grid" autocomplete="off" @submit.prevent="save">
        <label for="account-name">Name</label><BFormInput id="account-name" v-model="form.name" size="sm" :disabled="!!editing" :state="wrong('name')" data-test="account-name" />
        <label for="account-user">Signs in as</label><BFormInput id="account-user" v-model="form.user" size="sm" placeholder="gauge" autocomplete="off" data-test="account-user" />
        <label for="account-secret">Secret</label
        ><BFormInput id="account-secret" v-model="form.secret" size="sm" type="password" autocomplete="new-password" :placeholder="editing ? 'unchanged' : ''" data-test="account-secret" />
        <label for="account-hosts">Sent to</label
        ><BFormInput id="account-hosts" v-model="form.hosts" size="sm" placeholder="db1.example:5432, *.desk.example" :state="wrong('hosts')" data-test="account-hosts" /> <span></span
        ><BFormCheckbox v-model="form.plain_text" data-test="account-plain">may be sent where nothing is encrypted</BFormCheckbox> <label for="account-certificate">Authority</label
        ><BFormTextarea
          id="account-certificate"
          v-model="form.certificate"
          size="sm"
          rows="2"
          placeholder="PEM of your own certificate authority; empty for the system's"
          :state="wrong('certificate')"
          data-test="account-certificate"
        />
        <label for="account-groups">For groups</label><BFormInput id="account-groups" v-model="form.groups" size="sm" placeholder="desk, catalog" /> <label for="account-people">Used by</label
        ><BFormInput id="account-people" v-model="form.people" size="sm" placeholder="everyone who may connect servers" :state="wrong('people')" data-test="account-people" />
        <span></span>
        <div class="form-line">
          <BButton type="submit" size="sm" variant="primary" :disabled="busy || !form.name || (!editing && !form.secret)" data-test="account-save">{{ editing ? 'Save' : 'Add' }}</BButton>
          <BButton v-if="editing" size="sm" variant="link" @click="clear">Cancel</BButton>
          <ProblemLine :problem="problem" />
        </div>
      </form>
      <p class="faded mt-3 note">
        Secrets are encrypted where they lie, with a key in a file beside the store. They go to the servers alone: no screen, report, log or bundle shows one. An account serves the servers that name
        it, and those of its groups that name none, but it is sent to the hosts above alone: an engineer cannot use it elsewhere, and where an administrator does, the host is added. Only the people
        named may give it to a server or try it; an administrator always may.
      </p>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.form-grid {
  grid-template-columns: 100px 380px;
}
.note {
  max-width: 92ch;
  font-size: 13px;
}
.nowrap {
  white-space: nowrap;
}
</style>
