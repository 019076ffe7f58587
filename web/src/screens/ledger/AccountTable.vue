<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import CellBar from '@/parts/CellBar.vue'
import { colourOf, isHatched } from '@/state/families'
import { share, times } from '@/state/units'
import { useWindow } from '@/state/window'

const props = defineProps<{ accounts: Schemas['Account'][]; by: string; order: string[] }>()
defineEmits<{ pick: [key: string] }>()
const w = useWindow()
const most = computed(() => Math.max(...props.accounts.map((a) => Math.max(a.active_sessions, a.reference ?? 0))))
const place = (key: string) => Math.max(0, props.order.indexOf(key))
const margin = (a: Schemas['Account']) => Math.max(a.active_sessions - a.low, a.high - a.active_sessions)
</script>

<template>
  <table class="ruled">
    <thead><tr><th></th><th>account</th><th class="num">active sessions</th><th class="num">±</th><th class="num">share</th><th class="num">reference</th><th class="num"></th></tr></thead>
    <tbody>
      <tr v-for="account in accounts.slice(0, 40)" :key="account.key" class="link" :data-account="account.key" @click="$emit('pick', account.key)">
        <td><span class="swatch" :class="{ hatched: isHatched(account.key, place(account.key)) }" :style="{ backgroundColor: colourOf(account.key, place(account.key)) }"></span></td>
        <td class="clip">
          <RouterLink v-if="by === 'statement' && account.key !== 'none'" class="sql" :title="account.label" :to="{ name: 'statement', params: { fingerprint: account.key }, query: { ...w.kept.value, scope: w.scope.value } }" @click.stop>{{ account.label }}</RouterLink>
          <button v-else type="button" class="plain" @click.stop="$emit('pick', account.key)">{{ account.label }}</button>
        </td>
        <td class="num"><CellBar :value="account.active_sessions" :max="most" :reference="account.reference">{{ account.active_sessions.toFixed(3) }}</CellBar></td>
        <td class="num unit" :title="`${account.low.toFixed(3)} to ${account.high.toFixed(3)}`">{{ margin(account).toFixed(3) }}</td>
        <td class="num">{{ share(account.share) }}</td>
        <td class="num">{{ account.reference === null ? 'none' : account.reference.toFixed(3) }}</td>
        <td class="num">{{ times(account.active_sessions, account.reference) }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.swatch { display: inline-block; width: 12px; height: 12px; }
.plain { border: 0; background: none; padding: 0; color: var(--ink); text-align: left; }
table { table-layout: fixed; }
th:nth-child(1) { width: 20px; }
th:nth-child(3) { width: 112px; }
th:nth-child(4), th:nth-child(5), th:nth-child(7) { width: 56px; }
th:nth-child(6) { width: 74px; }
</style>
