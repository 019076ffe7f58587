<script setup lang="ts">
interface Ratio {
  ratio: number
  low: number
  high: number
  p_value: number
  outcome: string
}
defineProps<{ candidate: { arm: string; ratios: Record<string, Record<string, Ratio>> } }>()
const OF: Record<string, string> = { goal: 'goal', all: 'all statements' }
const three = (value: number) => Number(value.toPrecision(3)).toString()
</script>

<template>
  <h2 class="part"><span>{{ candidate.arm }} ÷ control</span></h2>
  <table class="ruled">
    <thead><tr><th>figure</th><th>of</th><th class="num">ratio</th><th class="num">95% interval</th><th class="num">p-value</th><th>verdict</th></tr></thead>
    <tbody>
      <template v-for="(metrics, part) in candidate.ratios" :key="part">
        <tr v-for="(r, metric) in metrics" :key="metric">
          <td>{{ metric }}</td>
          <td class="faded">{{ OF[part] }}</td>
          <td class="num">{{ three(r.ratio) }}×</td>
          <td class="num">{{ three(r.low) }} to {{ three(r.high) }}</td>
          <td class="num">{{ r.p_value < 0.0001 ? '< 0.0001' : r.p_value.toFixed(4) }}</td>
          <td :class="{ act: r.outcome === 'worse', good: r.outcome === 'better' }">{{ r.outcome }}</td>
        </tr>
      </template>
    </tbody>
  </table>
</template>

<style scoped>
.good { color: var(--fine); font-weight: 600; }
</style>
