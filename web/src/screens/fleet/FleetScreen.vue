<script setup lang="ts">
import { BFormInput, BFormCheckbox } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import FleetLine from './FleetLine.vue'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

const WIDTHS = ['11%', '23%', '5%', '11%', '6.5%', '8.5%', '9.5%', '10%', '8.5%', '7%']
const w = useWindow()
const fleet = useAnswer<Schemas['Fleet']>(() => 'fleet', () => true)
const search = computed({ get: () => String(w.route.query.search ?? ''), set: (value) => w.change({ search: value || undefined }) })
const only = computed({ get: () => w.route.query.unusual === '1', set: (value) => w.change({ unusual: value ? '1' : undefined }) })
const blocks = computed(() =>
  (fleet.data.value?.clusters ?? [])
    .map((block) => ({ ...block, lines: block.lines.filter((line) => `${line.server} ${line.role} ${block.cluster} ${line.words}`.includes(search.value) && (!only.value || line.unusual)), peers: block.lines }))
    .filter((block) => block.lines.length),
)
const shown = computed(() => blocks.value.reduce((sum, block) => sum + block.lines.length, 0))
const peak = computed(() => Math.max(0.1, ...blocks.value.flatMap((block) => block.peers.flatMap((line) => [line.active_sessions.value ?? 0, line.active_sessions.high ?? 0]))))
</script>

<template>
  <AnswerSheet :answer="fleet" v-slot="{ data }">
    <div class="tools">
      <BFormInput v-model="search" size="sm" placeholder="Search servers" aria-label="Search servers" class="search" />
      <BFormCheckbox v-model="only">unusual only</BFormCheckbox>
      <span class="faded">{{ shown }} of {{ data.servers }} servers</span>
    </div>
    <section v-for="block in blocks" :key="block.cluster" class="cluster">
      <table class="ruled">
        <colgroup><col v-for="(width, i) in WIDTHS" :key="i" :style="{ width }" /></colgroup>
        <thead>
          <tr>
            <th class="name">{{ block.cluster }}</th>
            <th>What is going on</th>
            <th colspan="2">Active sessions</th>
            <th colspan="2">Time per call</th>
            <th>Among its peers</th>
            <th>Last 24 hours</th>
            <th class="num">Full in</th>
            <th>Capture</th>
          </tr>
        </thead>
        <tbody>
          <FleetLine v-for="line in block.lines" :key="line.server" :line="line" :peers="block.peers" :peak="peak" />
        </tbody>
      </table>
    </section>
    <p v-if="!shown" class="faded">No server matches. <a href="#" @click.prevent="w.change({ search: undefined, unusual: undefined })">Show all</a></p>
  </AnswerSheet>
</template>

<style scoped>
.tools { display: flex; gap: 16px; align-items: center; margin-bottom: 10px; font-size: 13px; }
.search { width: 220px; }
.cluster { margin-bottom: 22px; border-top: 2px solid var(--ink); }
table { table-layout: fixed; }
.name { font-size: 14px; color: var(--ink); }
</style>
