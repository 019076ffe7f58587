<script setup lang="ts">
import { BButton, BFormTextarea } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import PlanBeside from './PlanBeside.vue'
import ProofNote from './ProofNote.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

/** Another text for a statement beside the old one: plans, checks, and a proof on made rows that both give the same. */
const w = useWindow()
const server = computed(() => String(w.route.params.server))
const fingerprint = computed(() => String(w.route.query.statement ?? ''))
const before = ref('')
const after = ref('')
const compared = ref<Schemas['TextsCompared'] | null>(null)
const proof = ref<Schemas['Proof'] | null>(null)
const { problem, busy, run, wrong } = useWork()
const doing = ref('')
watch(
  fingerprint,
  (of) =>
    of &&
    run(async () => {
      const found = await answered(api.GET('/api/statements/{fingerprint}', { params: { path: { fingerprint: of }, query: { ...w.asked.value, scope: server.value } } }))
      before.value = after.value = found.row.text
    }),
  { immediate: true },
)
const texts = () => ({ params: { path: { server: server.value } }, body: { old: before.value, new: after.value } })
const compare = () =>
  run(async () => {
    doing.value = 'asking for both plans'
    proof.value = null
    compared.value = await answered(api.POST('/api/servers/{server}/texts', texts()))
  })
const prove = () =>
  run(async () => {
    doing.value = 'making rows and running both; up to a minute'
    proof.value = await answered(api.POST('/api/servers/{server}/texts/proof', texts()))
  })
const sentence = computed(() => proof.value?.sentence ?? compared.value?.plans.sentence ?? 'What would another text for this statement do?')
const checks = computed(() =>
  compared.value
    ? ([
        ['old text', compared.value.old_checks, compared.value.new_checks],
        ['new text', compared.value.new_checks, compared.value.old_checks],
      ] as const)
    : [],
)
const alone = (one: Schemas['CheckRow'], others: Schemas['CheckSheet']) => !others.rows.some((other) => other.name === one.name)
</script>

<template>
  <div class="sheet">
    <p class="lead-sentence" data-test="sentence">{{ sentence }}</p>
    <form @submit.prevent="compare">
      <div class="beside">
        <div>
          <label for="old-text"
            >Old text<template v-if="fingerprint"> of <SubjectLink kind="statement" :name="fingerprint" :server="server">the statement</SubjectLink></template></label
          >
          <BFormTextarea id="old-text" v-model="before" rows="6" class="sql" :state="wrong('old')" />
        </div>
        <div>
          <label for="new-text">New text</label>
          <BFormTextarea id="new-text" v-model="after" rows="6" class="sql" :state="wrong('new')" />
        </div>
      </div>
      <div class="mt-2 d-flex gap-3 align-items-center">
        <BButton type="submit" size="sm" variant="primary" :disabled="busy || !before.trim() || !after.trim()">Compare plans and checks</BButton>
        <BButton size="sm" variant="outline-secondary" :disabled="busy || !before.trim() || before.trim() === after.trim()" data-test="prove" @click="prove">Prove on made rows</BButton>
        <span v-if="busy" class="faded" role="status">{{ doing }}</span>
        <span v-else class="faded">Nothing is run on {{ server }}.</span>
        <ProblemLine :problem="problem" />
      </div>
    </form>
    <ProofNote v-if="proof" class="mt-3" :proof="proof" />
    <template v-if="compared">
      <h2 class="part mt-3"><span>Plans</span></h2>
      <PlanBeside :plans="compared.plans" first="old text" second="new text" />
      <h2 class="part mt-3"><span>Checks</span></h2>
      <div class="beside">
        <div v-for="[name, mine, others] in checks" :key="name">
          <b>{{ name }}</b>
          <p v-for="one in mine.rows" :key="one.name + one.seen" class="mb-1" :class="{ only: alone(one, others) }">
            <span class="faded">{{ one.grade }}</span> {{ one.title }}: {{ one.seen }}<span v-if="alone(one, others)" class="faded"> (here alone)</span>
          </p>
          <p v-if="!mine.rows.length" class="faded mb-1">Nothing in what was looked at.</p>
          <p v-if="mine.unknown.length" class="faded mb-1">Not looked at: {{ mine.unknown.join('; ') }}.</p>
        </div>
      </div>
      <p v-if="compared.provable" class="faded mt-2 mb-0">Cannot be proven: {{ compared.provable }}.</p>
    </template>
  </div>
</template>

<style scoped>
.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 8px 20px;
  font-size: 13px;
}
.only {
  font-weight: 600;
}
</style>
