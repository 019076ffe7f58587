<script setup lang="ts">
import { computed } from 'vue'
import { colourOf, isHatched, placeOf } from '@/state/families'
import { duration, text } from '@/state/units'

/** The age of a call as a bar on a logarithmic rule from a millisecond to a day; the transaction's age is a lighter bar behind it. */
const props = defineProps<{ call: number | null; transaction: number | null; family: string }>()
const MARKS = [1e-3, 1, 60, 3600, 86400]
const part = (seconds: number) => (Math.log(Math.max(1e-3, Math.min(86400, seconds)) / 1e-3) / Math.log(86400 / 1e-3)) * 100
const colour = computed(() => (props.family ? colourOf(props.family, placeOf(props.family)) : 'var(--steel)'))
const hatched = computed(() => !props.family || isHatched(props.family, placeOf(props.family)))
const words = computed(() =>
  [props.call === null ? 'age not reported' : text(duration(props.call)), props.transaction === null ? '' : `transaction open for ${text(duration(props.transaction))}`].filter(Boolean).join('; '),
)
</script>

<template>
  <span class="rule" :title="words">
    <span v-for="mark in MARKS" :key="mark" class="tick" :style="{ left: `${part(mark)}%` }"></span>
    <span v-if="transaction !== null" class="behind" :style="{ width: `${part(transaction)}%` }"></span>
    <span v-if="call !== null" class="age" :class="{ hatched }" :style="{ width: `${part(call)}%`, backgroundColor: colour }"></span>
  </span>
</template>

<style scoped>
.rule {
  display: block;
  position: relative;
  height: 15px;
  border-bottom: 1px solid var(--rule-strong);
}
.tick {
  position: absolute;
  bottom: 0;
  height: 5px;
  border-left: 1px solid var(--rule-strong);
}
.behind {
  position: absolute;
  inset: 2px auto 1px 0;
  background: var(--usual);
}
.age {
  position: absolute;
  inset: 4px auto 3px 0;
  min-width: 2px;
}
</style>
