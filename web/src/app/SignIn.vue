<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api, type Problem } from '@/api/client'
import { ask, me } from '@/state/me'

/** The only sheet for whoever is not signed in. */
const name = ref('')
const password = ref('')
const shown = ref(false)
const code = ref('')
const coded = ref(false)
const busy = ref(false)
const problem = ref<Problem | null>(null)
async function enter(request: () => Promise<unknown>) {
  busy.value = true
  problem.value = null
  try {
    await request()
    await ask()
  } catch (error) {
    problem.value = error as Problem
    if (problem.value.field === 'code') coded.value = true
  } finally {
    busy.value = false
  }
}
const demo = () => enter(() => answered(api.POST('/api/sign-in/demo')))
const sign = () => {
  const body = { name: name.value.trim(), password: password.value }
  return enter(() =>
    me.value?.first ? answered(api.POST('/api/first', { body: { code: code.value.trim(), ...body } })) : answered(api.POST('/api/sign-in', { body: { ...body, code: code.value.trim() } })),
  )
}
</script>

<template>
  <main class="door">
    <div class="sheet">
      <h1><img src="/mark.svg" alt="" width="34" height="34" /> Hardy Gauge</h1>
      <template v-if="me?.demo">
        <p>This is the demo: a made-up library's servers. One click signs you in as its administrator.</p>
        <BButton variant="primary" :disabled="busy" data-test="enter-demo" @click="demo">Enter the demo</BButton>
      </template>
      <form v-else @submit.prevent="sign">
        <p v-if="me?.first">Nobody can sign in yet. Whoever has the code that was printed where the application was started becomes its administrator.</p>
        <template v-if="me?.first"><label for="code">Code</label><BFormInput id="code" v-model="code" autocomplete="off" autofocus data-test="code" /></template>
        <label for="name">Name</label><BFormInput id="name" v-model="name" autocomplete="username" :autofocus="!me?.first" data-test="name" /> <label for="password">Password</label
        ><BFormInput id="password" v-model="password" :type="shown ? 'text' : 'password'" :autocomplete="me?.first ? 'new-password' : 'current-password'" data-test="password" /><BFormCheckbox
          v-model="shown"
          class="mt-1"
          data-test="show-password"
          >show the password</BFormCheckbox
        >
        <template v-if="!me?.first && coded"
          ><label for="device-code">Code of your device, or a recovery code</label><BFormInput id="device-code" v-model="code" autocomplete="one-time-code" autofocus data-test="device-code"
        /></template>
        <BButton type="submit" variant="primary" class="mt-3" :disabled="busy || !name || !password" data-test="sign-in">{{ me?.first ? 'Become administrator' : 'Sign in' }}</BButton>
      </form>
      <p v-if="me?.provider && !me.first" class="mt-3 mb-0">
        <a href="/api/sign-in/provider" data-test="provider">Sign in with {{ me.provider }}</a>
      </p>
      <p v-if="problem" class="act mt-2 mb-0" role="alert">{{ problem.detail }}</p>
    </div>
  </main>
</template>

<style scoped>
.door {
  height: 100vh;
  display: grid;
  place-items: center;
}
.sheet {
  width: 420px;
  min-height: 0;
  padding: 22px 26px;
}
h1 {
  font-size: 20px;
  display: flex;
  gap: 10px;
  align-items: center;
  margin-bottom: 14px;
}
label {
  display: block;
  font-weight: 600;
  color: var(--faded);
  font-size: 13px;
  margin-top: 8px;
}
</style>
