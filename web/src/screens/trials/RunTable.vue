<script setup lang="ts">
import type { Schemas } from '@/api/client'
import FigureText from '@/parts/FigureText.vue'

defineProps<{ runs: Schemas['RunOut'][] }>()
</script>

<template>
  <details class="mt-2">
    <summary>every run</summary>
    <table class="ruled">
      <thead><tr><th class="num">run</th><th class="num">block</th><th>arm</th><th class="num">left out</th><th class="num">executions</th><th class="num">throughput</th><th class="num">p95, all</th><th class="num">p95, goal</th><th class="num">failed</th></tr></thead>
      <tbody>
        <tr v-for="run in runs" :key="run.number">
          <td class="num">{{ run.number + 1 }}</td>
          <td class="num">{{ run.block + 1 }}</td>
          <td>{{ run.arm }}</td>
          <td class="num"><FigureText :value="run.warm_s" unit="s" /></td>
          <td class="num"><FigureText :value="run.all.executions" unit="" /></td>
          <td class="num"><FigureText :value="run.all.throughput" unit="/s" /></td>
          <td class="num"><FigureText :value="run.all.p95" unit="s" /></td>
          <td class="num"><FigureText :value="run.goal.p95" unit="s" /></td>
          <td class="num">{{ run.failed }}</td>
        </tr>
      </tbody>
    </table>
  </details>
</template>

<style scoped>
summary { color: var(--petrol); font-size: 13px; }
</style>
