<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import FleetLine from './FleetLine.vue'
import FleetTools from './FleetTools.vue'
import { useFilters } from './filters'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import BulkBar from '@/parts/BulkBar.vue'
import { useAnswer } from '@/state/fetching'

const WIDTHS = ['13%', '22%', '5%', '11%', '6.5%', '8.5%', '9.5%', '9.5%', '7.5%', '7.5%']
const fleet = useAnswer<Schemas['Fleet']>(() => 'fleet', () => true)
const { filters, fits, clear } = useFilters()
const chosen = ref<string[]>([])
const said = ref('')
const blocks = computed(() =>
  (fleet.data.value?.clusters ?? [])
    .map((block) => ({ ...block, lines: block.lines.filter((line) => fits(block.cluster, line)), peers: block.lines }))
    .filter((block) => block.lines.length),
)
const shown = computed(() => blocks.value.flatMap((block) => block.lines.map((line) => line.server)))
const picked = computed(() => shown.value.filter((server) => chosen.value.includes(server)))
const peak = computed(() => Math.max(0.1, ...blocks.value.flatMap((block) => block.peers.flatMap((line) => [line.active_sessions.value ?? 0, line.active_sessions.high ?? 0]))))
const choose = (server: string, on: boolean) => (chosen.value = on ? [...chosen.value, server] : chosen.value.filter((one) => one !== server))
async function done(words: string) {
  said.value = words
  chosen.value = []
  await fleet.ask()
}
</script>

<template>
  <AnswerSheet :answer="fleet" v-slot="{ data }">
    <FleetTools :filters="filters" :fleet="data" :shown="shown.length" :all-chosen="shown.length > 0 && picked.length === shown.length" @all="chosen = $event ? [...shown] : []">
      <BulkBar v-if="picked.length" :servers="picked" @done="done" />
      <span v-else-if="said" class="faded" role="status">{{ said }}</span>
    </FleetTools>
    <section v-for="block in blocks" :key="block.cluster" class="cluster" :data-cluster="block.cluster">
      <table class="ruled">
        <colgroup><col v-for="(width, i) in WIDTHS" :key="i" :style="{ width }" /></colgroup>
        <thead>
          <tr>
            <th class="name">{{ block.cluster }}</th>
            <th class="words" :title="[...block.odd, ...block.well].join('\n')"><b v-if="block.odd.length" class="odd">{{ block.odd.join('; ') }}</b><template v-else>{{ block.well[0] ?? 'What is going on' }}</template></th>
            <th colspan="2">Active sessions</th>
            <th colspan="2">Time per call</th>
            <th>Among its peers</th>
            <th>Last 24 hours</th>
            <th class="num">Full in</th>
            <th>Capture</th>
          </tr>
        </thead>
        <tbody>
          <FleetLine v-for="line in block.lines" :key="line.server" :line="line" :peers="block.peers" :peak="peak" :chosen="picked.includes(line.server)" @choose="choose(line.server, $event)" />
        </tbody>
      </table>
    </section>
    <p v-if="!shown.length && data.servers" class="faded">No server matches. <a href="#" @click.prevent="clear">Show all</a></p>
  </AnswerSheet>
</template>

<style scoped>
.cluster { margin-bottom: 22px; border-top: 2px solid var(--ink); }
table { table-layout: fixed; }
.name { font-size: 14px; color: var(--ink); }
.odd { color: var(--ink); }
.words { font-weight: 400; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
</style>
