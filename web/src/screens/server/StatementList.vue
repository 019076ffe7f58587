<script setup lang="ts">
import type { Schemas } from '@/api/client'
import CellBar from '@/parts/CellBar.vue'
import FigureText from '@/parts/FigureText.vue'
import { colourOf, FAMILIES } from '@/state/families'
import { share, times } from '@/state/units'
import { useWindow } from '@/state/window'

defineProps<{ rows: Schemas['StatementRow'][]; scope: string }>()
const w = useWindow()
const to = (row: Schemas['StatementRow'], scope: string) => ({ name: 'statement', params: { fingerprint: row.fingerprint }, query: { ...w.kept.value, scope } })
const colour = (row: Schemas['StatementRow']) => colourOf(row.main_family, FAMILIES.indexOf(row.main_family as (typeof FAMILIES)[number]))
</script>

<template>
  <table class="ruled">
    <thead><tr><th>Statement</th><th class="num">share</th><th class="num">calls/s</th><th class="num">per call</th><th class="num">reference</th><th class="num"></th></tr></thead>
    <tbody>
      <tr v-for="row in rows" :key="row.fingerprint" class="link" @click="w.router.push(to(row, scope))">
        <td class="clip"><RouterLink class="sql" :to="to(row, scope)" :title="row.text" @click.stop>{{ row.text }}</RouterLink></td>
        <td class="num"><CellBar :value="row.share" :max="1" :colour="colour(row)">{{ share(row.share) }}</CellBar></td>
        <td class="num"><FigureText :value="row.calls_per_s" unit="" /></td>
        <td class="num"><FigureText :value="row.time_per_call_s" unit="s" /></td>
        <td class="num"><FigureText :value="row.reference_time_per_call_s" unit="s" /></td>
        <td class="num">{{ times(row.time_per_call_s, row.reference_time_per_call_s) }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
table { table-layout: fixed; }
th:nth-child(2) { width: 76px; }
th:nth-child(3) { width: 62px; }
th:nth-child(4), th:nth-child(5) { width: 86px; }
th:nth-child(6) { width: 54px; }
</style>
