<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import SetupTabs from './SetupTabs.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { ask, me } from '@/state/me'
import { clock, day } from '@/state/units'
import { useWork } from '@/state/work'

const browsers = useAnswer(
  () => 'sign-ins',
  () => api.GET('/api/me/sign-ins'),
)
const passwords = useWork()
const factor = useWork()
const ending = useWork()
const old = ref('')
const fresh = ref('')
const changed = ref(false)
const enrolment = ref<Schemas['Enrolment'] | null>(null)
const code = ref('')
const recovery = ref<string[]>([])
const at = (us: number) => `${day(us)} ${clock(us)}`
const picture = computed(() => (enrolment.value ? `data:image/svg+xml;utf8,${encodeURIComponent(enrolment.value.picture)}` : ''))
const BROWSERS: Column<Schemas['SignInOut']>[] = [
  { key: 'browser', title: 'browser', value: (one) => one.browser },
  { key: 'client', title: 'from', value: (one) => one.client },
  { key: 'created', title: 'signed in', value: (one) => one.created_us },
  { key: 'seen', title: 'last seen', value: (one) => one.seen_us },
  { key: 'act', title: '' },
]

const change = () =>
  passwords.run(async () => {
    changed.value = false
    await answered(api.POST('/api/me/password', { body: { old: old.value, new: fresh.value } }))
    old.value = fresh.value = ''
    changed.value = true
    await ask()
    await browsers.ask()
  })
const begin = () =>
  factor.run(async () => {
    recovery.value = []
    enrolment.value = await answered(api.POST('/api/me/second-factor/new'))
  })
const confirm = () =>
  factor.run(async () => {
    const body = { secret: enrolment.value?.secret ?? '', code: code.value.trim() }
    recovery.value = (await answered(api.PUT('/api/me/second-factor', { body }))).codes
    enrolment.value = null
    code.value = ''
    await ask()
  })
const off = () =>
  factor.run(async () => {
    await answered(api.DELETE('/api/me/second-factor'))
    recovery.value = []
    await ask()
  })
const end = (id: string) =>
  ending.run(async () => {
    await answered(api.DELETE('/api/me/sign-ins/{sign_in}', { params: { path: { sign_in: id } } }))
    await browsers.ask()
  })
</script>

<template>
  <AnswerSheet :answer="browsers">
    <template #sentence>{{ me?.words }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <div class="cols two">
        <div>
          <h2 class="part"><span>Second factor</span></h2>
          <p v-if="me?.second_factor">On: signing in needs your password and a code of your device.</p>
          <p v-else>Off: whoever has your password can sign in as you.</p>
          <div v-if="enrolment" class="enrol">
            <img :src="picture" alt="The secret as a picture for your device" width="180" height="180" data-test="factor-picture" />
            <form @submit.prevent="confirm">
              <p>
                Scan it with an app for one-time codes, or type the secret: <code class="secret" data-test="factor-secret">{{ enrolment.secret }}</code>
              </p>
              <label for="factor-code">The code it shows now</label>
              <div class="form-line">
                <BFormInput id="factor-code" v-model="code" size="sm" inputmode="numeric" autocomplete="one-time-code" class="code" :state="factor.wrong('code')" data-test="factor-code" />
                <BButton type="submit" size="sm" variant="primary" :disabled="factor.busy.value || !code" data-test="factor-on">Switch on</BButton>
                <BButton size="sm" variant="link" @click="enrolment = null">Cancel</BButton>
              </div>
            </form>
          </div>
          <div v-else class="form-line">
            <BButton size="sm" variant="outline-secondary" :disabled="factor.busy.value" data-test="factor-begin" @click="begin">{{ me?.second_factor ? 'Use another device' : 'Set up' }}</BButton>
            <BButton v-if="me?.second_factor" size="sm" variant="link" :disabled="factor.busy.value" @click="off">Switch off</BButton>
          </div>
          <div v-if="recovery.length" class="mt-2" role="status">
            <p class="mb-1">Keep these recovery codes where your device is not. Each signs you in once; they are not shown again.</p>
            <ol class="recovery" data-test="recovery">
              <li v-for="one in recovery" :key="one">{{ one }}</li>
            </ol>
          </div>
          <ProblemLine :problem="factor.problem.value" />
          <h2 class="part mt-3"><span>Password</span></h2>
          <form class="form-grid" @submit.prevent="change">
            <label for="old">Now</label><BFormInput id="old" v-model="old" size="sm" type="password" autocomplete="current-password" :state="passwords.wrong('old')" data-test="old" />
            <label for="new">New</label
            ><BFormInput id="new" v-model="fresh" size="sm" type="password" autocomplete="new-password" placeholder="not easily guessed" :state="passwords.wrong('password')" data-test="new" />
            <span></span>
            <div class="form-line">
              <BButton type="submit" size="sm" variant="primary" :disabled="passwords.busy.value || !old || !fresh" data-test="change-password">Change</BButton>
              <span v-if="changed" role="status">Changed.</span>
              <ProblemLine :problem="passwords.problem.value" />
            </div>
          </form>
          <p class="faded note mt-2">A new password signs you out in every other browser and revokes your tokens.</p>
        </div>
        <div>
          <h2 class="part"><span>Browsers that are signed in</span></h2>
          <DataTable :rows="data" :columns="BROWSERS" :row-key="(one) => one.id">
            <template #browser="{ row }"
              ><span class="agent" :title="row.browser">{{ row.browser || 'unknown' }}</span></template
            >
            <template #created="{ row }"
              ><span class="figure">{{ at(row.created_us) }}</span></template
            >
            <template #seen="{ row }"
              ><span class="figure">{{ at(row.seen_us) }}</span></template
            >
            <template #act="{ row }"
              ><span v-if="row.here" class="faded text-nowrap">this one</span
              ><BButton v-else size="sm" variant="link" class="text-nowrap" :disabled="ending.busy.value" @click="end(row.id)">Sign out</BButton></template
            >
          </DataTable>
          <ProblemLine :problem="ending.problem.value" />
        </div>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.two {
  grid-template-columns: minmax(0, 4fr) minmax(0, 5fr);
  align-items: start;
}
.form-grid {
  grid-template-columns: 60px 320px;
}
.enrol {
  display: grid;
  grid-template-columns: 180px 1fr;
  gap: 16px;
}
.enrol img {
  background: #fff;
}
.secret {
  word-break: break-all;
}
.code {
  width: 130px;
  flex: none;
}
.recovery {
  columns: 2;
  font-family: var(--figures, monospace);
  font-size: 13px;
}
.agent {
  display: inline-block;
  max-width: 180px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  vertical-align: bottom;
}
.note {
  font-size: 13px;
}
</style>
