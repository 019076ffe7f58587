<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import DurationCurves from './DurationCurves.vue'
import HideChoices from './HideChoices.vue'
import SecondsChart from './SecondsChart.vue'
import StatementFigures from './StatementFigures.vue'
import { armLine } from './armLines'

/** What stands behind the verdict: how durations are spread, how the runs went by second, and every statement. Arms can be hidden. */
const props = defineProps<{ detail: Schemas['TrialDetail'] }>()
const hidden = ref<string[]>([])
const seconds = computed(() => Math.max(1, ...props.detail.arms.map((arm) => arm.ended.length)))
/** The mean of the runs of each arm that is shown. */
const lines = (of: 'ended' | 'failed' | 'mean_s') => props.detail.arms.map((arm) => ({ name: arm.arm, ...armLine(arm.place), values: arm[of] })).filter((arm) => !hidden.value.includes(arm.name))
const failed = computed(() => props.detail.arms.some((arm) => arm.failed.some((one) => one > 0)))
</script>

<template>
  <div data-test="in-detail">
    <div class="pictures">
      <section>
        <h2 class="part mt-2">
          <span>How long executions took: {{ detail.of }}</span>
        </h2>
        <DurationCurves :arms="detail.arms" :hidden="hidden" />
      </section>
      <section>
        <h2 class="part mt-2"><span>By second of a run, warm-up included</span></h2>
        <SecondsChart :lines="lines('ended')" :seconds="seconds" data-of="ended" title="executions that ended" unit="/s" />
        <SecondsChart :lines="lines('mean_s')" :seconds="seconds" data-of="mean_s" title="mean duration" unit="s" />
        <SecondsChart v-if="failed" :lines="lines('failed')" :seconds="seconds" data-of="failed" title="executions that failed" unit="/s" />
      </section>
    </div>
    <HideChoices v-slot="{ place }" v-model="hidden" :names="detail.arms.map((arm) => arm.arm)">
      <svg width="26" height="10" aria-hidden="true">
        <line x1="0" x2="26" y1="5" y2="5" :stroke="armLine(detail.arms[place].place).stroke" :stroke-dasharray="armLine(detail.arms[place].place).dash" stroke-width="2" />
      </svg>
    </HideChoices>
    <StatementFigures :rows="detail.statements" />
  </div>
</template>

<style scoped>
.pictures {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(420px, 1fr));
  gap: 8px 32px;
}
</style>
