<script setup lang="ts">
import { BButton, BFormInput, BModal } from 'bootstrap-vue-next'
import { ref, watch } from 'vue'
import { answered, api, session } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import { me } from '@/state/me'
import { useWork } from '@/state/work'

/** Asks for the password again before what matters most is changed; what was being done goes on afterwards. */
const open = ref(false)
const password = ref('')
const code = ref('')
const { problem, busy, run, wrong } = useWork()
let settle: (confirmed: boolean) => void = () => undefined
session.confirm = () =>
  new Promise((resolve) => {
    settle = resolve
    password.value = code.value = ''
    open.value = true
  })
const confirm = () =>
  run(async () => {
    await answered(api.POST('/api/me/confirm', { body: { password: password.value, code: code.value.trim() } }))
    settle(true)
    open.value = false
  })
watch(open, (shown) => shown || settle(false))
</script>

<template>
  <BModal v-model="open" title="Confirm who you are" no-footer>
    <p v-if="me?.by_provider" class="mb-0">
      This changes who may do what, or what a secret is used for. <a href="/api/sign-in/provider?again=true">Sign in with {{ me.provider }} again</a>, then change it; that holds for some minutes.
    </p>
    <form v-else @submit.prevent="confirm">
      <p>This changes who may do what, or what a secret is used for. Give your password again; that holds for some minutes.</p>
      <label for="confirm-password">Password</label>
      <BFormInput id="confirm-password" v-model="password" type="password" autocomplete="current-password" autofocus :state="wrong('password')" data-test="confirm-password" />
      <template v-if="me?.second_factor">
        <label for="confirm-code" class="mt-2">Code of your device</label>
        <BFormInput id="confirm-code" v-model="code" inputmode="numeric" autocomplete="one-time-code" :state="wrong('code')" data-test="confirm-code" />
      </template>
      <div class="form-line mt-3">
        <BButton type="submit" variant="primary" size="sm" :disabled="busy || !password" data-test="confirm">Confirm</BButton>
        <ProblemLine :problem="problem" />
      </div>
    </form>
  </BModal>
</template>
