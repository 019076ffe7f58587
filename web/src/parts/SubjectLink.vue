<script setup lang="ts">
import { computed } from 'vue'
import { useWindow } from '@/state/window'

/** A link to what something is about, with focus and reference kept: a server, a statement, a trial, a table. */
const props = defineProps<{ kind: 'server' | 'statement' | 'statements' | 'trial' | 'plan' | 'table'; name: string; server?: string }>()
const w = useWindow()
const to = computed(() => {
  const query = { ...w.kept.value, ...(props.server && { scope: props.server }) }
  if (props.kind === 'server') return { name: 'server', params: { server: props.name }, query: w.kept.value }
  if (props.kind === 'trial') return { name: 'trial', params: { id: props.name }, query: w.kept.value }
  if (props.kind === 'plan') return { name: 'stored-plan', params: { server: props.server ?? '', plan: props.name }, query: w.kept.value }
  if (props.kind === 'table') return { name: 'server-table', params: { server: props.server ?? '', table: props.name }, query: w.kept.value }
  if (props.kind === 'statements') return { name: 'statements', query }
  return { name: 'statement', params: { fingerprint: props.name }, query }
})
</script>

<template>
  <RouterLink :to="to" @click.stop
    ><slot>{{ name }}</slot></RouterLink
  >
</template>
