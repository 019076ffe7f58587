<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import ReportList from './ReportList.vue'
import { me } from '@/state/me'
import { useWork, words } from '@/state/work'

/** Try one address, see what it reports and who else is in its cluster, and take in what is confirmed. */
const props = defineProps<{ accounts: Schemas['AccountOut'][]; address?: string }>()
const emit = defineEmits<{ done: []; close: []; accounts: [] }>()
const { problem, busy, run, wrong } = useWork()
const address = ref(props.address ?? '')
const account = ref('')
const user = ref('')
const secret = ref('')
const name = ref('')
const cluster = ref('')
const labels = ref('')
const tested = ref<Schemas['Tested'] | null>(null)
const members = ref<string[]>([])
const results = ref<Schemas['Registered'][]>([])
const NEW = '+'
const isNew = computed(() => account.value === NEW)
const mayKeep = computed(() => me.value?.role === 'administrator')
const choices = computed(() => [
  { value: '', text: 'no account' },
  ...props.accounts.map((one) => ({ value: one.name, text: `${one.name} (${one.user || 'token'})` })),
  ...(mayKeep.value ? [{ value: NEW, text: 'a new account' }] : []),
])
const reachable = computed(() => (tested.value?.members ?? []).filter((one) => one.address))

/** Put the new account into the keyring, for this host alone. */
async function keep() {
  const made = await answered(api.POST('/api/accounts/for-address', { body: { address: address.value.trim(), user: user.value.trim(), secret: secret.value } }))
  account.value = made.name
  secret.value = ''
  emit('accounts')
}
const test = () =>
  run(async () => {
    results.value = []
    if (account.value === NEW) await keep()
    tested.value = await answered(api.POST('/api/connections/test', { body: { address: address.value.trim(), account: account.value } }))
    name.value ||= tested.value.server
    cluster.value ||= tested.value.cluster
    members.value = reachable.value.map((one) => one.address!)
  })
const take = () =>
  run(async () => {
    const shared = { cluster: cluster.value, labels: words(labels.value), account: account.value }
    const servers = [{ address: address.value.trim(), name: name.value, ...shared }, ...members.value.map((one) => ({ address: one, name: '', ...shared }))]
    results.value = await answered(api.POST('/api/connections', { body: { servers } }))
    emit('done')
  })
</script>

<template>
  <form class="connect" @submit.prevent="test">
    <div class="form-grid">
      <label for="address">Address</label>
      <div class="form-line">
        <BFormInput
          id="address"
          v-model="address"
          size="sm"
          :state="wrong('address')"
          placeholder="postgresql://host:5432/database, or http://host:port/servers/name"
          data-test="address"
          autofocus
          @input="tested = null"
        />
        <BFormSelect v-model="account" :options="choices" size="sm" class="account" aria-label="Account" :state="wrong('account')" data-test="account" @change="tested = null" />
        <BButton type="submit" size="sm" variant="primary" :disabled="busy || !address" data-test="test">{{ busy && !tested ? 'Asking' : 'Test' }}</BButton>
        <BButton size="sm" variant="link" @click="$emit('close')">Close</BButton>
      </div>
      <template v-if="isNew">
        <label for="new-user">Account</label>
        <div class="form-line">
          <BFormInput id="new-user" v-model="user" size="sm" class="name" placeholder="user" autocomplete="off" :state="wrong('user')" data-test="new-user" />
          <BFormInput
            v-model="secret"
            size="sm"
            class="name"
            type="password"
            placeholder="password"
            aria-label="Password"
            autocomplete="new-password"
            :state="wrong('secret')"
            data-test="new-secret"
          />
          <span class="faded">kept encrypted in the keyring, for this host alone</span>
        </div>
      </template>
      <template v-if="tested">
        <span>Answer</span>
        <div data-test="tested">
          <span :class="{ act: !tested.answers }">{{ tested.words }}</span> <span class="faded">{{ tested.took_s.toFixed(2) }} s</span
          ><span v-if="tested.known_as"> It is in the fleet already as {{ tested.known_as }}.</span>
        </div>
        <template v-if="tested.answers">
          <span></span>
          <ReportList :reports="tested.reports" :script="tested.script" />
          <label for="name">Call it</label>
          <div class="form-line">
            <BFormInput id="name" v-model="name" size="sm" class="name" :state="wrong('name')" data-test="name" />
            <span>in cluster</span><BFormInput v-model="cluster" size="sm" class="name" aria-label="Cluster" data-test="cluster" /> <span>with labels</span
            ><BFormInput v-model="labels" size="sm" class="name" aria-label="Labels, separated by commas" placeholder="operational, east" />
          </div>
          <template v-if="tested.members.length">
            <span>Its cluster</span>
            <div>
              <BFormCheckbox v-for="one in reachable" :key="one.address!" v-model="members" :value="one.address!"
                >{{ one.name }} <span class="faded">{{ one.role }} {{ one.detail }}</span> <code>{{ one.address }}</code></BFormCheckbox
              >
              <p v-for="one in tested.members.filter((m) => !m.address)" :key="one.name" class="faded mb-0">{{ one.name }}: seen, but its address is not known here</p>
            </div>
          </template>
          <span></span>
          <div class="form-line">
            <BButton size="sm" variant="primary" :disabled="busy" data-test="take" @click="take">{{ members.length ? `Record these ${members.length + 1} servers` : 'Record it' }}</BButton>
          </div>
        </template>
      </template>
    </div>
    <ProblemLine :problem="problem" />
    <p v-for="one in results" :key="one.address" class="mb-0" :class="{ act: one.error }" data-test="taken">
      {{ one.error ? `${one.address}: ${one.error}` : `${one.server} is in the fleet; its first figures come within a minute.` }}
    </p>
  </form>
</template>

<style scoped>
.connect {
  border: 1px solid var(--rule);
  padding: 10px 12px;
  margin-bottom: 10px;
  font-size: 13px;
}
.form-grid {
  grid-template-columns: 74px minmax(0, 1fr);
}
.account {
  width: 190px;
}
.name {
  width: 170px;
}
</style>
