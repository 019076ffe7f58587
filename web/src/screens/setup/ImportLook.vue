<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { post, type Schemas } from '@/api/client'
import { useWork } from './work'

/** A file that was handed in: what it seems to be, how its columns are read, and where it goes. */
const props = defineProps<{ look: Schemas['LookOut']; busy: boolean; wrong: string }>()
const emit = defineEmits<{ look: [Schemas['LookOut']]; take: [Schemas['Wanted']]; away: [] }>()
const WORDS: Record<string, string> = { table: 'a table', openmetrics: 'OpenMetrics text', otlp: 'OTLP JSON', plans: 'plans', workload: 'statements of a workload' }
const KINDS = [{ value: 'executions', text: 'executions, a row each' }, { value: 'statements', text: 'statements, a row for each interval' }]
const { problem, busy: looking, run } = useWork()
const server = ref('')
const cluster = ref('imported')
const engine = ref('other')
const text = ref('')
const layout = computed(() => props.look.layout ?? null)
const columns = computed(() => layout.value?.columns ?? {})
const targets = computed(() => (layout.value ? props.look.targets[layout.value.kind] ?? [] : []))
const headings = computed(() => [{ value: '', text: 'no column' }, ...props.look.headings])
const needsServer = computed(() => ['table', 'openmetrics', 'plans'].includes(props.look.format))
const state = (field: string) => (props.wrong === field ? false : null)
const shown = computed(() => props.look.sample[0] ?? {})

const ask = (body: Schemas['LookRequest']) => run(async () => emit('look', await post<Schemas['LookOut']>(`imports/${props.look.id}/look`, body)))
const change = (more: Partial<Schemas['Layout']>) => ask({ layout: { ...layout.value!, ...more } })
function choose(target: string, column: string) {
  const chosen = { ...columns.value }
  const units = targets.value.find((one) => one.name === target)?.units ?? ['']
  if (column) chosen[target] = { column, unit: chosen[target]?.unit || (units.includes('s') ? 's' : units[0]!) }
  else delete chosen[target]
  return change({ columns: chosen })
}
const inUnit = (target: string, unit: string) => change({ columns: { ...columns.value, [target]: { ...columns.value[target]!, unit } } })
const take = () => emit('take', { format: props.look.format as Schemas['Wanted']['format'], server: server.value.trim(), cluster: cluster.value.trim(), engine: engine.value.trim(), layout: layout.value, text: text.value })
watch(() => props.look.name, (name) => (server.value ||= name.replace(/\..*$/, '').replace(/[\s/]+/g, '-').slice(0, 80)), { immediate: true })
</script>

<template>
  <form data-test="import-look" @submit.prevent="take">
    <h2 class="part"><span>{{ look.name }}: {{ WORDS[look.format] }}</span><span v-if="look.remembered">read as it was agreed for these headings before</span></h2>
    <div v-if="layout" class="halves">
      <section>
        <table class="ruled">
          <thead><tr><th>what</th><th>column</th><th>unit</th><th>first row</th></tr></thead>
          <tbody>
            <tr v-for="target in targets" :key="target.name" :data-target="target.name">
              <td :class="{ faded: !columns[target.name] }">{{ target.words }}<span v-if="target.needed"> ·</span></td>
              <td><BFormSelect :model-value="columns[target.name]?.column ?? ''" :options="headings" size="sm" :aria-label="`Column of ${target.words}`" @update:model-value="choose(target.name, String($event))" /></td>
              <td><BFormSelect v-if="columns[target.name] && target.units.length > 1" :model-value="columns[target.name]!.unit" :options="target.units" size="sm" :aria-label="`Unit of ${target.words}`" @update:model-value="inUnit(target.name, String($event))" /></td>
              <td class="figure cut" :title="shown[columns[target.name]?.column ?? '']">{{ shown[columns[target.name]?.column ?? ''] }}</td>
            </tr>
          </tbody>
        </table>
        <p class="faded small mt-1">A point marks what every row needs.</p>
      </section>
      <section>
        <BFormSelect :model-value="layout.kind" :options="KINDS" size="sm" class="mb-2" aria-label="What a row is" @update:model-value="ask({ kind: $event as 'executions' | 'statements' })" />
        <p v-if="look.fault" class="act" role="alert">{{ look.fault }}</p>
        <p v-else>{{ look.rows_taken }} of the first {{ look.rows_looked_at }} rows would be taken.<span v-if="looking" class="faded"> looking</span></p>
        <p v-if="problem" class="act" role="alert">{{ problem.detail }}</p>
        <BFormCheckbox v-if="layout.kind === 'executions'" :model-value="layout.whole" @update:model-value="change({ whole: !!$event })">every execution is here, so that the load can be summed from them</BFormCheckbox>
        <BFormCheckbox v-else :model-value="layout.cumulative" @update:model-value="change({ cumulative: !!$event })">figures count up from row to row</BFormCheckbox>
        <table v-if="look.left.length" class="ruled mt-2">
          <thead><tr><th class="num">line</th><th>is not taken, because</th></tr></thead>
          <tbody><tr v-for="(one, i) in look.left.slice(0, 12)" :key="i"><td class="num">{{ one.line }}</td><td>{{ one.why }}</td></tr></tbody>
        </table>
        <p v-if="look.left.length > 12" class="faded small">and {{ look.left.length - 12 }} more of those looked at</p>
      </section>
    </div>
    <div class="form-line mt-2">
      <template v-if="needsServer"><label for="import-server">Figures of server</label><BFormInput id="import-server" v-model="server" size="sm" class="short" :state="state('server')" /></template>
      <template v-if="look.format !== 'workload'"><label for="import-cluster">if it is new, in cluster</label><BFormInput id="import-cluster" v-model="cluster" size="sm" class="short" /></template>
      <template v-if="needsServer"><label for="import-engine">of engine</label><BFormInput id="import-engine" v-model="engine" size="sm" class="short" /></template>
    </div>
    <div v-if="look.format === 'plans'" class="form-line mt-2"><label for="import-text">Statement of plans that do not say theirs</label><BFormInput id="import-text" v-model="text" size="sm" /></div>
    <div class="form-line mt-2">
      <BButton type="submit" size="sm" variant="primary" :disabled="busy || !!look.fault" data-test="import-take">Take in</BButton>
      <BButton size="sm" variant="link" :disabled="busy" @click="emit('away')">Put away</BButton>
    </div>
  </form>
</template>

<style scoped>
form { margin-bottom: 20px; font-size: 13px; }
.halves { display: grid; grid-template-columns: minmax(0, 1.7fr) minmax(0, 1fr); gap: 28px; }
table { table-layout: fixed; }
td { vertical-align: middle; padding-top: 2px !important; padding-bottom: 2px !important; }
th:nth-child(3):not(.num) { width: 130px; }
.cut { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
th.num { width: 60px; }
.short { width: 170px; }
p { font-size: 13px; }
</style>
