<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { patch, post, remove, type Schemas } from '@/api/client'
import SetupTabs from './SetupTabs.vue'
import { useWork } from './work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { may, me } from '@/state/me'
import { clock, day } from '@/state/units'

const ROLES = ['viewer', 'engineer', 'administrator'] as const
type Role = (typeof ROLES)[number]
const tokens = useAnswer<Schemas['TokenOut'][]>(() => 'tokens')
const people = useAnswer<Schemas['PersonOut'][]>(() => (may('administrator') ? 'people' : null))
const audit = useAnswer<Schemas['AuditLine'][]>(() => (may('administrator') ? 'audit?most=100' : null))
const { problem, busy, run, wrong } = useWork()
const person = ref({ name: '', role: 'viewer' as Role, password: '' })
const token = ref({ name: '', scope: 'viewer' as Role, days: 90 })
const made = ref('')
const at = (us: number) => `${day(us)} ${clock(us)}`
const sentence = computed(() => {
  const count = people.data.value?.filter((one) => !one.barred).length
  return count === undefined ? `You are ${me.value?.name}, ${me.value?.role}.` : `${count} ${count === 1 ? 'person' : 'people'} may sign in; viewers look, engineers try and change, administrators decide who may.`
})
const again = () => Promise.all([people.ask(), tokens.ask(), audit.ask()])
const add = () => run(async () => {
  await post('people', person.value)
  person.value = { name: '', role: 'viewer', password: '' }
  await again()
})
const change = (name: string, what: object) => run(async () => {
  try {
    await patch(`people/${name}`, what)
  } finally {
    await again()
  }
})
const make = () => run(async () => {
  made.value = (await post<Schemas['TokenOut']>('tokens', token.value)).token ?? ''
  token.value.name = ''
  await again()
})
const withdraw = (id: number) => run(async () => {
  await remove(`tokens/${id}`)
  await again()
})
</script>

<template>
  <AnswerSheet :answer="tokens">
    <template #sentence>{{ sentence }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <p v-if="problem" class="act" role="alert">{{ problem.title }}. {{ problem.detail }}</p>
      <div class="cols two">
        <div>
          <template v-if="people.data.value">
            <h2 class="part"><span>People</span></h2>
            <table class="ruled mb-2">
              <thead><tr><th>name</th><th>role</th><th>last seen</th><th></th></tr></thead>
              <tbody>
                <tr v-for="one in people.data.value" :key="one.name">
                  <td><b>{{ one.name }}</b></td>
                  <td><BFormSelect :model-value="one.role" :options="[...ROLES]" size="sm" :aria-label="`Role of ${one.name}`" @update:model-value="(role) => change(one.name, { role })" /></td>
                  <td class="figure">{{ one.seen_us ? at(one.seen_us) : 'not signed in' }}</td>
                  <td class="text-end"><BButton size="sm" variant="link" :disabled="busy || one.name === me?.name" @click="change(one.name, { barred: !one.barred })">{{ one.barred ? 'Let in again' : 'Bar' }}</BButton></td>
                </tr>
              </tbody>
            </table>
            <form class="form-line mb-3" @submit.prevent="add">
              <BFormInput v-model="person.name" size="sm" placeholder="name" aria-label="Name" :state="wrong('name')" autocomplete="off" data-test="person-name" />
              <BFormSelect v-model="person.role" :options="[...ROLES]" size="sm" aria-label="Role" />
              <BFormInput v-model="person.password" size="sm" type="password" placeholder="12 characters or more" aria-label="First password" :state="wrong('password')" autocomplete="new-password" data-test="person-password" />
              <BButton type="submit" size="sm" variant="primary" :disabled="busy || !person.name || !person.password" data-test="person-add">Add</BButton>
            </form>
          </template>
          <h2 class="part"><span>Tokens of programs</span></h2>
          <table v-if="data.length" class="ruled mb-2">
            <thead><tr><th>token</th><th>of</th><th>may</th><th>ends</th><th>used</th><th></th></tr></thead>
            <tbody>
              <tr v-for="one in data" :key="one.id">
                <td><b>{{ one.name }}</b></td><td>{{ one.person }}</td><td>{{ one.scope }}</td><td class="figure">{{ at(one.ends_us) }}</td><td class="figure">{{ one.used_us ? at(one.used_us) : 'never' }}</td>
                <td class="text-end"><span v-if="one.withdrawn" class="faded">withdrawn</span><BButton v-else size="sm" variant="link" :disabled="busy" @click="withdraw(one.id)">Withdraw</BButton></td>
              </tr>
            </tbody>
          </table>
          <form class="form-line" @submit.prevent="make">
            <BFormInput v-model="token.name" size="sm" placeholder="what it is for" aria-label="Name of the token" />
            <BFormSelect v-model="token.scope" :options="ROLES.filter(may)" size="sm" aria-label="Scope" />
            <BFormInput v-model.number="token.days" size="sm" type="number" min="1" max="365" aria-label="Days" class="days" /> days
            <BButton type="submit" size="sm" variant="primary" :disabled="busy || !token.name" data-test="token-make">Make</BButton>
          </form>
          <p v-if="made" class="made" role="status">Copy it now, it is not shown again: <code data-test="token">{{ made }}</code></p>
        </div>
        <div v-if="audit.data.value">
          <h2 class="part"><span>Who changed what</span></h2>
          <table class="ruled">
            <tbody>
              <tr v-for="(line, i) in audit.data.value" :key="i"><td class="figure">{{ at(line.at_us) }}</td><td>{{ line.who || 'nobody' }}</td><td><code>{{ line.action }} {{ line.object.replace('/api/', '') }}</code></td></tr>
            </tbody>
          </table>
        </div>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.two { grid-template-columns: minmax(0, 3fr) minmax(0, 2fr); align-items: start; }
.days { width: 80px; flex: none; }
.made { font-size: 13px; margin: 8px 0 0; }
</style>
