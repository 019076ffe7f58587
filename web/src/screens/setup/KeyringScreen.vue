<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { patch, post, remove, type Schemas } from '@/api/client'
import SetupTabs from './SetupTabs.vue'
import { useWork, words } from './work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'

const answer = useAnswer<Schemas['AccountOut'][]>(() => 'accounts')
const { problem, busy, run, wrong } = useWork()
const EMPTY = { name: '', user: '', secret: '', groups: '' }
const form = ref({ ...EMPTY })
const editing = ref('')
const sentence = computed(() => {
  const all = answer.data.value ?? []
  if (!all.length) return 'The keyring is empty. An account that servers ask for goes in here, and its secret never comes out again.'
  const used = all.filter((one) => one.servers.length).length
  return `${all.length} account${all.length > 1 ? 's' : ''} on the keyring, ${used} in use; a secret changed here is changed for every server that uses it.`
})

function change(account: Schemas['AccountOut']) {
  editing.value = account.name
  form.value = { name: account.name, user: account.user, secret: '', groups: account.groups.join(', ') }
}
function clear() {
  editing.value = ''
  form.value = { ...EMPTY }
}
const save = () => run(async () => {
  const { name, user, secret, groups } = form.value
  if (editing.value) await patch(`accounts/${editing.value}`, { user, groups: words(groups), ...(secret && { secret }) })
  else await post('accounts', { name, user, secret, groups: words(groups) })
  clear()
  await answer.ask()
})
const drop = (name: string) => run(async () => {
  await remove(`accounts/${name}`)
  if (editing.value === name) clear()
  await answer.ask()
})
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence>{{ sentence }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <table v-if="data.length" class="ruled mb-3">
        <thead><tr><th>account</th><th>signs in as</th><th>secret</th><th>for groups</th><th>servers that use it</th><th>changed</th><th></th></tr></thead>
        <tbody>
          <tr v-for="one in data" :key="one.name" :class="{ chosen: editing === one.name }">
            <td><b>{{ one.name }}</b></td>
            <td>{{ one.user || 'a token' }}</td>
            <td class="faded">kept</td>
            <td>{{ one.groups.join(', ') }}</td>
            <td>{{ one.servers.join(', ') || 'none' }}</td>
            <td class="figure">{{ day(one.changed_us) }} {{ clock(one.changed_us) }}</td>
            <td class="text-end nowrap"><BButton size="sm" variant="link" @click="change(one)">Change</BButton><BButton size="sm" variant="link" :disabled="busy" @click="drop(one.name)">Remove</BButton></td>
          </tr>
        </tbody>
      </table>
      <h2 class="part"><span>{{ editing ? `Change ${editing}` : 'Put an account in' }}</span></h2>
      <form class="form-grid" autocomplete="off" @submit.prevent="save">
        <label for="account-name">Name</label><BFormInput id="account-name" v-model="form.name" size="sm" :disabled="!!editing" :state="wrong('name')" data-test="account-name" />
        <label for="account-user">Signs in as</label><BFormInput id="account-user" v-model="form.user" size="sm" placeholder="gauge; empty for a token" autocomplete="off" data-test="account-user" />
        <label for="account-secret">Secret</label><BFormInput id="account-secret" v-model="form.secret" size="sm" type="password" autocomplete="new-password" :placeholder="editing ? 'empty keeps the one there is' : 'password or token'" data-test="account-secret" />
        <label for="account-groups">For groups</label><BFormInput id="account-groups" v-model="form.groups" size="sm" placeholder="names of clusters or labels, with commas between" />
        <span></span>
        <div class="form-line">
          <BButton type="submit" size="sm" variant="primary" :disabled="busy || !form.name || (!editing && !form.secret)" data-test="account-save">{{ editing ? 'Save' : 'Put it in' }}</BButton>
          <BButton v-if="editing" size="sm" variant="link" @click="clear">Leave it</BButton>
          <span v-if="problem" class="act" role="alert">{{ problem.title }}. {{ problem.detail }}</span>
        </div>
      </form>
      <p class="faded mt-3 note">Secrets are encrypted where they lie, with a key in a file beside the store. They go to the servers alone: no screen, report, log or bundle shows one. An account serves the servers that name it, and those of its groups that name none.</p>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.form-grid { grid-template-columns: 100px 380px; }
.note { max-width: 92ch; font-size: 13px; }
.nowrap { white-space: nowrap; }
</style>
