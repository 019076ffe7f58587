<script setup lang="ts">
import { computed } from 'vue'
import { said, text } from '@/state/units'

/** A whole drawn to scale, cut by what it is used for, with the edge of what there is. */
const props = defineProps<{ pieces: { name: string; value: number }[]; whole: number; unit: string; name: string }>()
const TOKENS = ['--f-processor', '--f-internal-latch', '--f-data-read', '--f-client', '--f-memory']
const most = computed(() => Math.max(props.whole, ...[props.pieces.reduce((sum, one) => sum + one.value, 0)]))
const free = (name: string) => name.startsWith('free')
const part = (value: number) => `${(value / most.value) * 100}%`
const edge = computed(() => part(props.whole))
</script>

<template>
  <div>
    <div class="bar" role="img" :aria-label="`${name}: ${pieces.map((one) => `${one.name} ${text(said(one.value, unit))}`).join(', ')}, of ${text(said(whole, unit))}`">
      <span
        v-for="(one, i) in pieces"
        :key="one.name"
        class="piece"
        :class="{ free: free(one.name), hatched: one.name === 'iowait' }"
        :style="{ width: part(one.value), backgroundColor: free(one.name) ? undefined : `var(${TOKENS[i % TOKENS.length]})` }"
        :title="`${one.name}: ${text(said(one.value, unit))}`"
      ></span>
      <span class="edge" :style="{ left: edge }"></span>
    </div>
    <p class="legend">
      <span v-for="(one, i) in pieces" :key="one.name">
        <span class="swatch" :class="{ free: free(one.name), hatched: one.name === 'iowait' }" :style="{ backgroundColor: free(one.name) ? undefined : `var(${TOKENS[i % TOKENS.length]})` }"></span>
        {{ one.name }} <span class="figure">{{ text(said(one.value, unit)) }}</span>
      </span>
      <span class="faded">of {{ text(said(whole, unit)) }}</span>
    </p>
  </div>
</template>

<style scoped>
.bar {
  position: relative;
  display: flex;
  height: 22px;
  background: var(--usual);
  border: 1px solid var(--rule-strong);
}
.piece {
  height: 100%;
}
.free {
  background: transparent;
}
.edge {
  position: absolute;
  top: -4px;
  bottom: -4px;
  border-left: 2px solid var(--brass);
}
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 3px 16px;
  margin: 4px 0 0;
  font-size: 13px;
}
.swatch {
  display: inline-block;
  width: 11px;
  height: 11px;
  border: 1px solid var(--rule-strong);
}
</style>
