<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import FigureText from './FigureText.vue'
import ProblemLine from './ProblemLine.vue'
import { draftKept, draftTold } from '@/screens/trials/draft'
import { said, text } from '@/state/units'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

/** A change that would help: script, undo, what it would bring and cost; "Try it" takes it to a trial. */
const props = defineProps<{ remedy: Schemas['Remedy']; server: string; statement: string | null }>()
const w = useWindow()
const { problem, busy, run } = useWork()
const can = computed(() => (props.remedy.index && props.statement) || props.remedy.setting)
const tryIt = () =>
  run(async () => {
    const { index, setting, expected } = props.remedy
    const change = index && props.statement ? index : { table: '', columns: [], setting }
    const body = { server: props.server, statement: props.statement ?? '', expected, ...change }
    const drawn = await answered(api.POST('/api/trials/draft', { params: { query: w.asked.value }, body }))
    draftKept.value = drawn.design
    draftTold.value = drawn.told
    await w.router.push({ name: 'new-trial', query: { ...w.kept.value, scope: props.server } })
  })
const copy = (script: string) => navigator.clipboard.writeText(script)
</script>

<template>
  <section class="remedy">
    <h2 class="part">
      <span>{{ remedy.title }}</span><span v-if="remedy.script">{{ remedy.applies }}</span>
    </h2>
    <pre v-if="remedy.script" class="script">{{ remedy.script }}</pre>
    <p v-if="remedy.undo" class="mb-1">
      Undo: <code>{{ remedy.undo }}</code>
    </p>
    <p v-for="e in remedy.expected" :key="e.what" class="mb-1">
      Expected: {{ e.what }} <FigureText :value="e.value" :unit="e.unit" /><template v-if="e.low !== null && e.high !== null">
        (<FigureText :value="e.low" unit="" /> to <FigureText :value="e.high" unit="" />)</template
      ><template v-if="e.reference !== null">, now <FigureText :value="e.reference" :unit="e.unit" /></template> <span class="faded">({{ e.source }})</span>
    </p>
    <p v-if="remedy.side_effects.length" class="mb-1">
      Costs:
      <template v-for="(e, i) in remedy.side_effects" :key="e.what"
        >{{ i ? ', ' : '' }}{{ e.what }} <span class="figure" :title="e.source">{{ text(said(e.value, e.unit)) }}</span></template
      >
    </p>
    <p v-for="caution in remedy.cautions" :key="caution" class="mb-1 faded">{{ caution }}</p>
    <BButton v-if="can" variant="primary" size="sm" :disabled="busy" data-test="try-it" @click="tryIt">Try it</BButton>
    <p v-else class="mb-1 faded" data-test="not-tried">{{ remedy.not_tried }}</p>
    <BButton v-if="remedy.script" variant="link" size="sm" @click="copy(remedy.script)">Copy the script</BButton>
    <ProblemLine :problem="problem" />
  </section>
</template>

<style scoped>
.script {
  background: var(--ground);
  border: 1px solid var(--rule);
  padding: 6px 8px;
  margin-bottom: 4px;
  white-space: pre-wrap;
}
.remedy {
  font-size: 13px;
}
</style>
