<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { post, Problem, query, type Schemas } from '@/api/client'
import FigureText from './FigureText.vue'
import GradeGlyph from './GradeGlyph.vue'
import { draftKept } from '@/screens/trials/draft'
import { said, share, text, times } from '@/state/units'
import { useWindow } from '@/state/window'

/** A finding with its evidence and the advice that answers it; "Try it" takes the advice to a trial. */
const props = withDefaults(defineProps<{ finding: Schemas['FindingOut']; brief?: boolean }>(), { brief: false })
const w = useWindow()
const problem = ref('')

async function tryIt(advice: Schemas['AdviceOut']) {
  try {
    const parts = query({ focus: w.focusText.value, reference: w.referenceText.value })
    const body = { server: props.finding.server, statement: props.finding.statement, table: advice.table, columns: advice.columns }
    draftKept.value = await post<Record<string, unknown>>(`trials/draft?${parts}`, body)
    await w.router.push({ name: 'new-trial', query: { ...w.kept.value, scope: props.finding.server } })
  } catch (error) {
    problem.value = (error as Problem).detail
  }
}
const copy = (script: string) => navigator.clipboard.writeText(script)
</script>

<template>
  <article class="finding" :data-cause="finding.cause">
    <header>
      <GradeGlyph :grade="finding.grade" />
      <strong>{{ finding.title }}</strong>
      <span class="faded">{{ share(finding.share) }} of the time of {{ finding.server }} (sampled {{ share(finding.share_low) }} to {{ share(finding.share_high) }}), confidence {{ share(finding.confidence) }}</span>
      <RouterLink v-if="brief" :to="{ name: 'statement', params: { fingerprint: finding.statement }, query: { ...w.kept.value, scope: finding.server } }">evidence and advice</RouterLink>
    </header>
    <div v-if="!brief" class="body">
      <table class="ruled">
        <thead><tr><th>Evidence</th><th class="num">figure</th><th class="num">reference</th><th class="num"></th><th>from</th></tr></thead>
        <tbody>
          <tr v-for="e in finding.evidence" :key="e.what">
            <td>{{ e.what }}</td>
            <td class="num"><FigureText :value="e.value" :unit="e.unit" /></td>
            <td class="num"><FigureText v-if="e.reference !== null" :value="e.reference" :unit="e.unit" /></td>
            <td class="num">{{ times(e.value, e.reference) }}</td>
            <td class="faded">{{ e.source }}</td>
          </tr>
        </tbody>
      </table>
      <section v-for="advice in finding.advice" :key="advice.title" class="advice">
        <h2 class="part"><span>{{ advice.title }}</span></h2>
        <pre class="script">{{ advice.script }}</pre>
        <p class="mb-1">Way back: <code>{{ advice.way_back }}</code></p>
        <p v-for="e in advice.expected" :key="e.what" class="mb-1">Expected: {{ e.what }} <FigureText :value="e.value" :unit="e.unit" /><template v-if="e.reference !== null">, now <FigureText :value="e.reference" :unit="e.unit" /></template> <span class="faded">({{ e.source }})</span></p>
        <p class="mb-1">Costs: <template v-for="(e, i) in advice.side_effects" :key="e.what">{{ i ? ', ' : '' }}{{ e.what }} <span class="figure">{{ text(said(e.value, e.unit)) }}</span></template></p>
        <p v-for="caution in advice.cautions" :key="caution" class="mb-1 faded">{{ caution }}</p>
        <BButton variant="primary" size="sm" data-test="try-it" @click="tryIt(advice)">Try it</BButton>
        <BButton variant="link" size="sm" @click="copy(advice.script)">Copy the script</BButton>
        <span v-if="problem" class="act" role="alert">{{ problem }}</span>
      </section>
    </div>
  </article>
</template>

<style scoped>
.finding { border-left: 3px solid var(--act); padding-left: 12px; margin-bottom: 12px; }
header { display: flex; gap: 10px; flex-wrap: wrap; align-items: baseline; margin-bottom: 4px; }
.body { display: grid; grid-template-columns: minmax(0, 1.15fr) minmax(0, 1fr); gap: 22px; align-items: start; }
.script { background: var(--ground); border: 1px solid var(--rule); padding: 6px 8px; margin-bottom: 4px; white-space: pre-wrap; }
.advice { font-size: 13px; }
</style>
