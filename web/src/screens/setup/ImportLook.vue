<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useWork } from '@/state/work'

/** A file that was handed in: what it seems to be, how its columns are read, and where it goes. */
const props = defineProps<{ look: Schemas['LookOut']; busy: boolean; wrong: string }>()
const emit = defineEmits<{ look: [Schemas['LookOut']]; start: [Schemas['ImportRequest']]; discard: [] }>()
const WORDS: Record<string, string> = { table: 'a table', openmetrics: 'OpenMetrics text', otlp: 'OTLP JSON', plans: 'plans', workload: 'statements of a workload' }
const KINDS = [
  { value: 'executions', text: 'executions, a row each' },
  { value: 'statements', text: 'statements, a row for each interval' },
]
const { problem, busy: looking, run } = useWork()
const server = ref('')
const cluster = ref('imported')
const engine = ref('other')
const text = ref('')
const layout = computed(() => props.look.layout ?? null)
const columns = computed(() => layout.value?.columns ?? {})
const targets = computed(() => (layout.value ? (props.look.targets[layout.value.kind] ?? []) : []))
const headings = computed(() => [{ value: '', text: 'no column' }, ...props.look.headings])
const needsServer = computed(() => ['table', 'openmetrics', 'plans'].includes(props.look.format))
const state = (field: string) => (props.wrong === field ? false : null)
const shown = computed(() => props.look.sample[0] ?? {})

const ask = (body: Schemas['LookRequest']) => run(async () => emit('look', await answered(api.POST('/api/imports/{import_id}/look', { params: { path: { import_id: props.look.id } }, body }))))
const change = (more: Partial<Schemas['Layout']>) => ask({ layout: { ...layout.value!, ...more } })
function choose(target: string, column: string) {
  const { [target]: before, ...chosen } = columns.value
  const units = targets.value.find((one) => one.name === target)?.units ?? ['']
  if (column) chosen[target] = { column, unit: before?.unit || (units.includes('s') ? 's' : units[0]!) }
  return change({ columns: chosen })
}
const inUnit = (target: string, unit: string) => change({ columns: { ...columns.value, [target]: { ...columns.value[target]!, unit } } })
const start = () =>
  emit('start', {
    format: props.look.format as Schemas['ImportRequest']['format'],
    server: server.value.trim(),
    cluster: cluster.value.trim(),
    engine: engine.value.trim(),
    layout: layout.value,
    text: text.value,
  })
const TARGETS: Column<Schemas['TargetOut']>[] = [
  { key: 'words', title: 'what', width: '30%' },
  { key: 'column', title: 'column', width: '30%' },
  { key: 'unit', title: 'unit', width: '16%' },
  { key: 'first', title: 'first row', wide: true },
]
const REJECTED: Column<Schemas['RejectedRow']>[] = [
  { key: 'line', title: 'line', unit: '', width: '64px', value: (one) => one.line },
  { key: 'why', title: 'is rejected, because', value: (one) => one.why },
]
watch(
  () => props.look.name,
  (name) =>
    (server.value ||= name
      .replace(/\..*$/, '')
      .replace(/[\s/]+/g, '-')
      .slice(0, 80)),
  { immediate: true },
)
</script>

<template>
  <form data-test="import-look" @submit.prevent="start">
    <h2 class="part">
      <span>{{ look.name }}: {{ WORDS[look.format] }}</span
      ><span v-if="look.remembered">read as agreed before for these headings</span>
    </h2>
    <div v-if="layout" class="halves">
      <section>
        <DataTable :rows="targets" :columns="TARGETS" :row-key="(target) => target.name">
          <template #words="{ row }"
            ><span :class="{ faded: !columns[row.name] }" :data-target="row.name">{{ row.words }}<template v-if="row.needed"> ·</template></span></template
          >
          <template #column="{ row }"
            ><BFormSelect :model-value="columns[row.name]?.column ?? ''" :options="headings" size="sm" :aria-label="`Column of ${row.words}`" @update:model-value="choose(row.name, String($event))"
          /></template>
          <template #unit="{ row }"
            ><BFormSelect
              v-if="columns[row.name] && row.units.length > 1"
              :model-value="columns[row.name]!.unit"
              :options="row.units"
              size="sm"
              :aria-label="`Unit of ${row.words}`"
              @update:model-value="inUnit(row.name, String($event))"
          /></template>
          <template #first="{ row }"
            ><span class="figure" :title="shown[columns[row.name]?.column ?? '']">{{ shown[columns[row.name]?.column ?? ''] }}</span></template
          >
        </DataTable>
        <p class="faded small mt-1">A point marks what every row needs.</p>
      </section>
      <section>
        <BFormSelect :model-value="layout.kind" :options="KINDS" size="sm" class="mb-2" aria-label="What a row is" @update:model-value="ask({ kind: $event as 'executions' | 'statements' })" />
        <p v-if="look.fault" class="act" role="alert">{{ look.fault }}</p>
        <p v-else>{{ look.rows_accepted }} of the first {{ look.rows_looked_at }} rows would be imported.<span v-if="looking" class="faded"> looking</span></p>
        <ProblemLine :problem="problem" />
        <BFormCheckbox v-if="layout.kind === 'executions'" :model-value="layout.whole" @update:model-value="change({ whole: !!$event })"
          >every execution is here, so that the load can be summed from them</BFormCheckbox
        >
        <BFormCheckbox v-else :model-value="layout.cumulative" @update:model-value="change({ cumulative: !!$event })">figures count up from row to row</BFormCheckbox>
        <DataTable v-if="look.rejected.length" class="mt-2" :rows="look.rejected.slice(0, 12)" :columns="REJECTED" :row-key="(one) => `${one.line} ${one.why}`" />
        <p v-if="look.rejected.length > 12" class="faded small">and {{ look.rejected.length - 12 }} more of those looked at</p>
      </section>
    </div>
    <div class="form-line mt-2">
      <template v-if="needsServer"><label for="import-server">Figures of server</label><BFormInput id="import-server" v-model="server" size="sm" class="short" :state="state('server')" /></template>
      <template v-if="look.format !== 'workload'"><label for="import-cluster">if it is new, in cluster</label><BFormInput id="import-cluster" v-model="cluster" size="sm" class="short" /></template>
      <template v-if="needsServer"><label for="import-engine">of engine</label><BFormInput id="import-engine" v-model="engine" size="sm" class="short" /></template>
    </div>
    <div v-if="look.format === 'plans'" class="form-line mt-2"><label for="import-text">Statement of plans that do not say theirs</label><BFormInput id="import-text" v-model="text" size="sm" /></div>
    <div class="form-line mt-2">
      <BButton type="submit" size="sm" variant="primary" :disabled="busy || !!look.fault" data-test="import-start">Import</BButton>
      <BButton size="sm" variant="link" :disabled="busy" @click="emit('discard')">Discard</BButton>
    </div>
  </form>
</template>

<style scoped>
form {
  margin-bottom: 20px;
  font-size: 13px;
}
.halves {
  display: grid;
  grid-template-columns: minmax(0, 1.7fr) minmax(0, 1fr);
  gap: 28px;
}
:deep(td) {
  vertical-align: middle;
}
.short {
  width: 170px;
}
p {
  font-size: 13px;
}
</style>
