<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import ClusterTable from './ClusterTable.vue'
import EmptyFleet from './EmptyFleet.vue'
import FleetTools from './FleetTools.vue'
import { useFilters } from './filters'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import BulkBar from '@/parts/BulkBar.vue'
import { useAnswer } from '@/state/fetching'

const fleet = useAnswer(
  () => 'fleet',
  () => api.GET('/api/fleet'),
  () => true,
)
const { filters, fits, clear } = useFilters()
const chosen = ref<string[]>([])
const said = ref('')
const blocks = computed(() =>
  (fleet.data.value?.clusters ?? []).map((block) => ({ ...block, lines: block.lines.filter((line) => fits(block.cluster, line)), peers: block.lines })).filter((block) => block.lines.length),
)
const shown = computed(() => blocks.value.flatMap((block) => block.lines.map((line) => line.server)))
const picked = computed(() => shown.value.filter((server) => chosen.value.includes(server)))
const highest = (line: Schemas['Line']) => Math.max(line.active_sessions.value ?? 0, line.active_sessions.high ?? 0)
const peak = computed(() => Math.max(0.1, ...blocks.value.flatMap((block) => block.peers.map(highest))))
const choose = (server: string, on: boolean) => (chosen.value = on ? [...chosen.value, server] : chosen.value.filter((one) => one !== server))
async function done(words: string) {
  said.value = words
  chosen.value = []
  await fleet.ask()
}
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="fleet">
    <EmptyFleet v-if="!data.servers" />
    <FleetTools v-else :filters="filters" :fleet="data" :shown="shown.length" :all-chosen="shown.length > 0 && picked.length === shown.length" @all="chosen = $event ? [...shown] : []">
      <BulkBar v-if="picked.length" :servers="picked" @done="done" />
      <span v-else-if="said" class="faded" role="status">{{ said }}</span>
    </FleetTools>
    <ClusterTable v-for="block in blocks" :key="block.cluster" :block="block" :peers="block.peers" :peak="peak" :picked="picked" @choose="choose" />
    <p v-if="!shown.length && data.servers" class="faded">No server matches. <a href="#" @click.prevent="clear">Show all</a></p>
  </AnswerSheet>
</template>
