<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import ServerTabs from './ServerTabs.vue'
import { answered, api, type Schemas } from '@/api/client'
import CacheCurve from '@/charts/CacheCurve.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import FactList from '@/parts/FactList.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import RemedyNote from '@/parts/RemedyNote.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

/** How large the parts of a server should be for what it does: each with its figures, formula and source, and a change to try. */
const w = useWindow()
const server = computed(() => String(w.route.params.server))
const answer = useAnswer(
  () => server.value,
  (name) => api.GET('/api/servers/{server}/sizing', { params: { path: { server: name } } }),
  () => false,
)
const found = ref<Schemas['CacheCurveSheet'] | null>(null)
const { problem, busy, run } = useWork()
const ask = () =>
  run(async () => {
    found.value = await answered(api.POST('/api/servers/{server}/cache-curve', { params: { path: { server: server.value } } }))
  })
watch(server, () => (found.value = null))
const facts = (aid: Schemas['SizingAid']) => aid.facts.map((one): [string, number, string] => [one.what, one.value, one.unit])
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer">
    <ServerTabs />
    <p class="faded mb-2">From its figures of {{ data.days.toFixed(data.days < 3 ? 1 : 0) }} days, until now.</p>
    <section v-if="data.curve" class="mb-3">
      <h2 class="part">
        <span>{{ data.curve.title }}</span>
      </h2>
      <p v-if="!found" class="mb-2">
        <BButton size="sm" variant="primary" :disabled="busy" data-test="ask-curve" @click="ask">{{ data.curve.button }}</BButton>
        <span class="faded ms-2">{{ busy ? 'asking the server' : data.curve.words }}</span>
      </p>
      <template v-else>
        <p class="mb-2" data-test="curve-says">{{ found.sentence }}</p>
        <CacheCurve v-if="found.curve" :curve="found.curve" :now="found.now" />
        <p class="faded mb-1">{{ found.note }}</p>
        <BButton size="sm" variant="link" class="p-0" :disabled="busy" @click="ask">Make it again</BButton>
      </template>
      <ProblemLine :problem="problem" />
    </section>
    <div class="aids">
      <section v-for="aid in data.aids" :key="aid.name" :data-test="`aid-${aid.name}`">
        <h2 class="part">
          <span>{{ aid.title }}</span><RouterLink :to="{ name: 'handbook', query: { ...w.kept.value, open: aid.article } }">what this is</RouterLink>
        </h2>
        <p class="mb-2">{{ aid.sentence }}</p>
        <FactList :facts="facts(aid)" />
        <p class="faded mb-1">
          {{ aid.formula }} <span>({{ aid.source }})</span>
        </p>
        <p v-for="caution in aid.cautions" :key="caution" class="faded mb-1">{{ caution }}</p>
        <RemedyNote v-if="aid.remedy" :remedy="aid.remedy" :server="server" :statement="null" />
      </section>
    </div>
    <p v-for="one in data.lacking" :key="one.title" class="faded mb-1" data-test="lacking">{{ one.title }}: {{ one.why }}.</p>
  </AnswerSheet>
</template>

<style scoped>
.aids {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(430px, 1fr));
  gap: 18px 32px;
  font-size: 13px;
  margin-bottom: 12px;
}
</style>
