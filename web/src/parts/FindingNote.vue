<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import DataTable from './DataTable.vue'
import FigureText from './FigureText.vue'
import GradeGlyph from './GradeGlyph.vue'
import RemedyNote from './RemedyNote.vue'
import SubjectLink from './SubjectLink.vue'
import type { Column } from './table'
import { textOf } from '@/state/span'
import { times } from '@/state/units'
import { useWindow } from '@/state/window'

/** A finding with the facts that show it and the remedies that answer it. */
type Fact = Schemas['Fact']
const props = withDefaults(defineProps<{ found: Schemas['FoundOn']; brief?: boolean; stacked?: boolean }>(), { brief: false, stacked: false })
const w = useWindow()
const finding = computed(() => props.found.finding)
const open = ref(false)
/** An hour before it began to half an hour after, in which what led to it would lie. */
const around = computed(() => textOf({ from: props.found.since_us - 3600e6, to: Math.max(props.found.since_us + 60e6, Math.min(props.found.since_us + 1800e6, props.found.seen_us)) }))
const COLUMNS: Column<Fact>[] = [
  { key: 'what', title: 'Fact', value: (fact) => fact.what },
  { key: 'value', title: 'figure', unit: '', value: (fact) => fact.value },
  { key: 'reference', title: 'typical', unit: '', value: (fact) => fact.reference },
  { key: 'times', title: '', unit: '' },
  { key: 'source', title: 'from' },
]
</script>

<template>
  <article class="finding" :data-grade="finding.grade" :data-cause="finding.cause">
    <header>
      <GradeGlyph :grade="finding.grade" />
      <strong>{{ finding.title }}</strong>
      <span class="faded"
        >{{ found.words }}<template v-if="found.life">; {{ found.life }}</template></span
      >
      <SubjectLink v-if="brief && finding.subject.kind === 'statement'" kind="statement" :name="finding.subject.name" :server="found.server">facts and remedies</SubjectLink>
      <button v-else-if="brief" type="button" class="btn btn-link btn-sm p-0" :aria-expanded="open" @click="open = !open">facts and remedies</button>
      <RouterLink :to="{ name: 'strips', query: { ...w.kept.value, finding: String(found.id) } }">its figures</RouterLink>
      <RouterLink :to="{ name: 'changes', query: { ...w.kept.value, scope: found.server, focus: around } }">what changed then</RouterLink>
      <RouterLink :to="{ name: 'handbook', query: { ...w.kept.value, open: `cause/${finding.cause}` } }">what this is</RouterLink>
    </header>
    <div v-if="!brief || open" class="body" :class="{ stacked }">
      <DataTable :rows="finding.facts" :columns="COLUMNS" :row-key="(fact) => fact.what">
        <template #value="{ row }"
          ><span :title="row.low === null || row.high === null ? '' : `${row.low?.toPrecision(3)} to ${row.high?.toPrecision(3)}`"><FigureText :value="row.value" :unit="row.unit" /></span
        ></template>
        <template #reference="{ row }"><FigureText v-if="row.reference !== null" :value="row.reference" :unit="row.unit" /><template v-else>&nbsp;</template></template>
        <template #times="{ row }">{{ times(row.value, row.reference) }}</template>
        <template #source="{ row }"
          ><span class="faded">{{ row.source }}</span></template
        >
      </DataTable>
      <div>
        <RemedyNote v-for="remedy in finding.remedies" :key="remedy.title" :remedy="remedy" :server="found.server" :statement="finding.subject.kind === 'statement' ? finding.subject.name : null" />
      </div>
    </div>
  </article>
</template>

<style scoped>
.finding {
  border-left: 3px solid var(--rule);
  padding-left: 12px;
  margin-bottom: 12px;
}
.finding[data-grade='act'] {
  border-left-color: var(--act);
}
header {
  display: flex;
  gap: 10px;
  flex-wrap: wrap;
  align-items: baseline;
  margin-bottom: 4px;
}
.body {
  display: grid;
  grid-template-columns: minmax(0, 1.15fr) minmax(0, 1fr);
  gap: 22px;
  align-items: start;
}
.body.stacked {
  grid-template-columns: minmax(0, 1fr);
  gap: 12px;
}
</style>
