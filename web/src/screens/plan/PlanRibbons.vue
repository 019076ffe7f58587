<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { count, duration, text } from '@/state/units'

type Step = Schemas['StepOut']
/** Steps nested left to right by start, width is time: own time solid, time of the steps below hatched. */
const props = defineProps<{ steps: Step[]; chosen: number }>()
defineEmits<{ choose: [number] }>()
const whole = ref(1)
const root = computed(() => props.steps.find((step) => step.number === whole.value) ?? props.steps[0])
const timed = computed(() => root.value.time_s !== null && root.value.time_s > 0)
const inside = computed(() => {
  const from = props.steps.indexOf(root.value)
  const end = props.steps.findIndex((step, i) => i > from && step.depth <= root.value.depth)
  return props.steps.slice(from, end < 0 ? undefined : end)
})
const rows = computed(() => Math.max(...inside.value.map((step) => step.depth)) - root.value.depth + 1)
const left = (step: Step) => (((step.start_s ?? 0) - (root.value.start_s ?? 0)) / root.value.time_s!) * 100
const wide = (step: Step) => ((step.time_s ?? 0) / root.value.time_s!) * 100
const own = (step: Step) => ((step.own_time_s ?? 0) / Math.max(step.time_s ?? 0, 1e-12)) * 100
const rowsOf = (step: Step) => (step.rows_seen === null || step.rows_expected === null ? '' : `${text(count(step.rows_expected))} → ${text(count(step.rows_seen))} rows`)
</script>

<template>
  <div v-if="timed" class="ribbons" :style="{ height: `${rows * 46}px` }">
    <button
      v-for="step in inside"
      :key="step.number"
      type="button"
      class="ribbon"
      :class="{ chosen: step.number === chosen }"
      :style="{ left: `min(${left(step)}%, calc(100% - 8px))`, width: `max(${wide(step)}%, 6px)`, top: `${(step.depth - root.depth) * 46}px` }"
      :title="`${step.words}: ${text(duration(step.own_time_s ?? 0))} of its own, ${text(duration(step.time_s ?? 0))} with the steps below`"
      :aria-label="`Step ${step.number}, ${step.words}`"
      @click="$emit('choose', step.number)"
      @dblclick="whole = step.number === whole ? 1 : step.number"
    >
      <span class="own" :style="{ width: `max(${own(step)}%, 1.5px)` }"></span>
      <span class="words">{{ step.words }}</span>
      <span class="detail figure">{{ text(duration(step.own_time_s ?? 0)) }} own{{ rowsOf(step) ? `, ${rowsOf(step)}` : '' }}</span>
    </button>
  </div>
  <p v-if="timed" class="faded hint">
    Width is time{{ whole === 1 ? '; double-click a step to make it the whole width' : '' }}. <a v-if="whole !== 1" href="#" @click.prevent="whole = 1">Show the whole plan</a>
  </p>
  <p v-else class="faded">This plan has no times; its steps are listed below.</p>
</template>

<style scoped>
.ribbons {
  position: relative;
  border-left: 1px solid var(--rule-strong);
}
.ribbon {
  position: absolute;
  height: 43px;
  content-visibility: auto;
  border: 1px solid var(--rule-strong);
  padding: 3px 0;
  text-indent: 7px;
  text-align: left;
  overflow: hidden;
  white-space: nowrap;
  color: var(--ink);
  background: repeating-linear-gradient(45deg, var(--sheet) 0 5px, var(--usual) 5px 7px);
}
.ribbon.chosen {
  outline: 2px solid var(--brass);
  outline-offset: -1px;
  z-index: 1;
}
.own {
  position: absolute;
  right: 0;
  top: 0;
  bottom: 0;
  background: var(--f-data-read);
  opacity: 0.38;
}
.words,
.detail {
  position: relative;
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
}
.words {
  font-weight: 600;
  font-size: 12.5px;
}
.detail {
  font-size: 11px;
}
.hint {
  font-size: 12px;
  margin: 3px 0 8px;
}
</style>
