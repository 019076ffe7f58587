<script setup lang="ts">
import { computed } from 'vue'
import { useWindow } from '@/state/window'
import { lastServer } from './keyboard'
import { SCREENS } from './routes'
import RailGlyph from './RailGlyph.vue'

const { route, scope, kept } = useWindow()
const current = computed(() => {
  const name = String(route.name)
  if (name === 'statement') return 'statements'
  if (name === 'stored-plan') return 'plan'
  if (name === 'recurrences') return 'changes'
  if (name.startsWith('setup')) return 'setup'
  if (name.startsWith('server') || name === 'cluster') return 'server'
  return name.endsWith('trial') ? 'trials' : name
})
function to(name: string) {
  const query = { ...kept.value, ...(scope.value !== 'fleet' && { scope: scope.value }) }
  if (name === 'server') return { name, params: { server: lastServer(route.params.cluster ? 'fleet' : scope.value) }, query: kept.value }
  return { name, query: name === 'fleet' ? kept.value : query }
}
</script>

<template>
  <nav aria-label="Screens">
    <RouterLink to="/fleet" class="home" aria-label="Hardy Gauge, fleet"><img src="/mark.svg" alt="" width="30" height="30" /></RouterLink>
    <RouterLink
      v-for="screen in SCREENS"
      :key="screen.name"
      :to="to(screen.name)"
      :class="{ on: current === screen.name }"
      :aria-current="current === screen.name ? 'page' : undefined"
      :title="`Key ${screen.press}`"
    >
      <RailGlyph :name="screen.glyph" />
      <span>{{ screen.words }}</span>
    </RouterLink>
  </nav>
</template>

<style scoped>
nav {
  display: flex;
  flex-direction: column;
  border-right: 1px solid var(--rule);
  background: var(--ground);
  overflow-y: auto;
  scrollbar-width: none;
}
a {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 0;
  padding: 4px 0 3px;
  color: var(--faded);
  text-decoration: none;
  font-size: 11px;
  line-height: 1.25;
  border-left: 3px solid transparent;
}
a:hover {
  color: var(--ink);
}
a.on {
  color: var(--ink);
  border-left-color: var(--brass);
  background: var(--sheet);
  font-weight: 600;
}
.home {
  padding: 6px 0;
}
</style>
