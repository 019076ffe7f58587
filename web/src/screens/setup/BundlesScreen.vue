<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { post, query, remove, type Schemas } from '@/api/client'
import SetupTabs from './SetupTabs.vue'
import { useWork } from './work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

const w = useWindow()
const answer = useAnswer<Schemas['BundleOut'][]>(() => 'bundles')
const { problem, busy, run } = useWork()
const said = ref('')
const home = computed(() => `/api/bundles/export?${query({ scope: w.scope.value, focus: w.focusText.value })}`)
const open = (event: Event) => {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (!file) return
  said.value = ''
  return run(async () => {
    const made = await post<Schemas['BundleOut']>('bundles', file, 'application/octet-stream')
    said.value = made.new ? `${made.servers.join(', ')}: opened.` : `${made.servers.join(', ')} were here already; nothing was changed.`
    await answer.ask()
  }).finally(() => (input.value = ''))
}
const takeOut = (bundle: string) => run(async () => {
  await remove(`bundles/${bundle}`)
  said.value = 'Taken out, with everything that came with it.'
  await answer.ask()
})
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.length ? `${data.length} bundle${data.length > 1 ? 's are' : ' is'} open here beside the fleet.` : 'A bundle carries what was recorded from one place to another, without addresses and accounts.' }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <h2 class="part"><span>Take home</span></h2>
      <p>The focus on the tape, of <b>{{ w.scope.value }}</b>: <a :href="home" download data-test="take-home">save as a bundle</a>. On a machine that cannot reach this application the same is made by <code>hardy-gauge capture --target ADDRESS --for 60s --out FILE</code>.</p>
      <h2 class="part"><span>Open</span></h2>
      <p><input type="file" class="form-control form-control-sm file" aria-label="Bundle" :disabled="busy" data-test="bundle-file" @change="open" /> <span class="faded">{{ busy ? 'opening' : said }}</span></p>
      <p v-if="problem" class="act" role="alert">{{ problem.title }}. {{ problem.detail }}</p>
      <table v-if="data.length" class="ruled">
        <thead><tr><th>servers</th><th>recorded until</th><th>bundle</th><th></th></tr></thead>
        <tbody>
          <tr v-for="one in data" :key="one.bundle">
            <td><template v-for="(server, i) in one.servers" :key="server">{{ i ? ', ' : '' }}<RouterLink :to="{ name: 'server', params: { server } }">{{ server }}</RouterLink></template></td>
            <td class="figure">{{ day(one.until_us) }} {{ clock(one.until_us) }}</td>
            <td><code>{{ one.bundle.slice(0, 12) }}</code></td>
            <td class="text-end"><BButton size="sm" variant="link" :disabled="busy" @click="takeOut(one.bundle)">Take out</BButton></td>
          </tr>
        </tbody>
      </table>
    </template>
  </AnswerSheet>
</template>

<style scoped>
p { font-size: 13px; }
.file { display: inline-block; width: 380px; }
</style>
