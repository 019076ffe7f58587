<script setup lang="ts">
import { BButton, BDropdown, BDropdownItem, BDropdownItemButton, BDropdownText } from 'bootstrap-vue-next'
import { computed } from 'vue'
import FocusPicker from './FocusPicker.vue'
import { api } from '@/api/client'
import { useAnswer } from '@/state/fetching'
import { leave, me } from '@/state/me'
import { switchTheme, theme } from '@/state/theme'
import { clock, day, duration, text } from '@/state/units'
import { now, useWindow } from '@/state/window'

defineEmits<{ find: []; help: [] }>()
const w = useWindow()
const fleet = useAnswer(
  () => 'fleet',
  () => api.GET('/api/fleet'),
)
const cluster = computed(() => fleet.data.value?.clusters.find((block) => block.lines.some((line) => line.server === w.scope.value))?.cluster)
const peers = computed(
  () =>
    fleet.data.value?.clusters
      .find((block) => block.cluster === cluster.value)
      ?.lines.map((line) => line.server)
      .filter((server) => server !== w.scope.value) ?? [],
)
const isCluster = computed(() => fleet.data.value?.clusters.some((block) => block.cluster === w.scope.value))
const span = (from: number, to: number) => `${day(from) === day(now.value) ? '' : `${day(from)} `}${clock(from)} to ${clock(to)}`
const focus = computed(() => {
  const { from, to } = w.focus.value
  const length = text(duration(Math.round((to - from) / 1e6)))
  return w.following.value ? `last ${length}` : `${span(from, to)}, ${length}`
})
const reference = computed(() => (w.reference.value ? span(w.reference.value.from, w.reference.value.to) : w.referenceWords.value))
</script>

<template>
  <header>
    <nav aria-label="Scope" class="path">
      <RouterLink :to="{ name: 'fleet', query: w.kept.value }">fleet</RouterLink>
      <template v-if="cluster || isCluster">
        <span class="faded">›</span>
        <RouterLink :to="{ name: 'cluster', params: { cluster: cluster ?? w.scope.value }, query: w.kept.value }">{{ cluster ?? w.scope.value }}</RouterLink>
      </template>
      <template v-if="cluster">
        <span class="faded">›</span>
        <RouterLink :to="{ name: 'server', params: { server: w.scope.value }, query: w.kept.value }">{{ w.scope.value }}</RouterLink>
      </template>
    </nav>
    <span class="window">
      <span class="focus-frame" aria-hidden="true"></span><FocusPicker :words="focus" />
      <BDropdown size="sm" variant="link" toggle-class="reference" :text="`compared with ${reference}`">
        <BDropdownItemButton @click="w.setReference(null)">A typical day <kbd>u</kbd></BDropdownItemButton>
        <BDropdownItemButton @click="w.referenceBefore()">The time just before</BDropdownItemButton>
        <BDropdownItemButton @click="w.referenceDaysAgo(1)">Same time yesterday</BDropdownItemButton>
        <BDropdownItemButton @click="w.referenceDaysAgo(7)">Same time last week</BDropdownItemButton>
        <BDropdownItemButton @click="w.setReference(w.focus.value)">This window <kbd>r</kbd></BDropdownItemButton>
        <BDropdownItemButton v-for="peer in peers" :key="peer" @click="w.compareWith(`server:${peer}`)">{{ peer }}, over the same time</BDropdownItemButton>
      </BDropdown>
      <BButton v-if="!w.following.value" size="sm" variant="link" @click="w.follow()">follow now</BButton>
    </span>
    <span class="right">
      <BButton size="sm" variant="outline-secondary" @click="$emit('find')">Find <kbd>/</kbd></BButton>
      <span class="figure">{{ clock(now, true) }} <span class="unit">UTC</span></span>
      <BButton size="sm" variant="link" :aria-label="theme === 'light' ? 'Switch to night watch' : 'Switch to paper'" @click="switchTheme()">{{ theme === 'light' ? 'night' : 'paper' }}</BButton>
      <BButton size="sm" variant="link" aria-label="Keys" @click="$emit('help')">keys</BButton>
      <BDropdown v-if="me" size="sm" variant="link" :text="me.name" end data-test="me">
        <BDropdownText>{{ me.name }} is {{ me.role }}{{ me.demo ? ' of the demo' : '' }}</BDropdownText>
        <BDropdownItem :to="{ name: 'setup-you' }">Password, second factor, browsers</BDropdownItem>
        <BDropdownItemButton @click="leave">Sign out</BDropdownItemButton>
      </BDropdown>
    </span>
  </header>
</template>

<style scoped>
header {
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 0 14px;
  border-bottom: 1px solid var(--rule);
  font-size: 13px;
  white-space: nowrap;
}
.path {
  display: flex;
  gap: 6px;
  font-weight: 600;
}
.window {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
}
.focus-frame {
  width: 14px;
  height: 12px;
  border: 2px solid var(--brass);
}
.right {
  margin-left: auto;
  display: flex;
  align-items: center;
  gap: 10px;
}
kbd {
  background: var(--usual);
  color: var(--ink);
  font-size: 11px;
}
header :deep(.btn-link) {
  color: var(--petrol);
  padding: 2px 4px;
}
</style>
