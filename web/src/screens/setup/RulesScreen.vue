<script setup lang="ts">
import { BButton, BDropdown, BDropdownItemButton, BFormTextarea } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { answered, api, AS_TEXT, type Schemas } from '@/api/client'
import RuleEditor from './RuleEditor.vue'
import SetupTabs from './SetupTabs.vue'
import { type Rule } from './rule'
import { useWork } from '@/state/work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'

const answer = useAnswer(
  () => 'rules',
  () => api.GET('/api/capture-rules'),
)
const fleet = useAnswer(
  () => 'connections',
  () => api.GET('/api/connections'),
)
const { problem, busy, run } = useWork()
const rules = ref<Rule[]>([])
const chosen = ref(0)
const yaml = ref('')
const words = ref<string[]>([])
const typed = ref(false)
const changed = computed(() => JSON.stringify(rules.value) !== JSON.stringify(answer.data.value?.rules ?? []))
const places = computed(() => {
  const all = fleet.data.value?.connections.filter((one) => !one.retired) ?? []
  return ['fleet', ...new Set(all.map((one) => one.cluster)), ...(fleet.data.value?.labels ?? []), ...all.map((one) => one.server)]
})

function show(data: Schemas['Rules']) {
  rules.value = JSON.parse(JSON.stringify(data.rules))
  yaml.value = data.yaml
  words.value = data.words
  typed.value = false
  chosen.value = Math.min(chosen.value, Math.max(0, rules.value.length - 1))
}
watch(answer.data, (data) => data && !changed.value && show(data))
watch(answer.data, (data) => data && !rules.value.length && show(data), { immediate: true })
let turn = 0
watch(
  rules,
  async (now) => {
    const mine = ++turn // an answer that comes late is not of what is typed now
    if (!changed.value || typed.value) return
    const names = now.map((one) => one.name)
    if (now.every((one) => one.name && one.applies_to.length) && new Set(names).size === names.length) {
      const preview = await answered(api.POST('/api/capture-rules/preview', { body: { rules: now } })).catch(() => null)
      if (preview && mine === turn) [yaml.value, words.value] = [preview.yaml, preview.words]
    }
  },
  { deep: true },
)

function add(rule: Rule) {
  const names = rules.value.map((one) => one.name)
  let name = rule.name
  for (let n = 2; names.includes(name); n++) name = `${rule.name} ${n}`
  rules.value.unshift({ ...JSON.parse(JSON.stringify(rule)), name })
  chosen.value = 0
}
function move(from: number, by: number) {
  const [one] = rules.value.splice(from, 1)
  rules.value.splice(from + by, 0, one)
  chosen.value = from + by
}
const save = () =>
  run(async () => {
    answer.data.value = await answered(typed.value ? api.PUT('/api/capture-rules/yaml', { body: yaml.value, ...AS_TEXT }) : api.PUT('/api/capture-rules', { body: { rules: rules.value } }))
    show(answer.data.value)
  })
const numbered = computed(() => rules.value.map((rule, place) => ({ rule, place })))
const COLUMNS: Column<{ rule: Rule; place: number }>[] = [
  { key: 'place', title: '' },
  { key: 'name', title: 'rule' },
  { key: 'words', title: 'records' },
  { key: 'act', title: '' },
]
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence="{ data }">{{ data.sentence }}</template>
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <div class="cols two">
        <section>
          <h2 class="part">
            <span>Rules in order</span>
            <BDropdown size="sm" variant="link" text="Add a rule" toggle-class="p-0" data-test="add-rule">
              <BDropdownItemButton v-for="(rule, name) in data.starting_sets" :key="name" @click="add(rule as Rule)">for {{ name }} servers</BDropdownItemButton>
            </BDropdown>
          </h2>
          <DataTable v-if="rules.length" :rows="numbered" :columns="COLUMNS" :row-key="(one) => one.place" :chosen="chosen" opens @open="(one) => (chosen = one.place)">
            <template #place="{ row }"
              ><span class="figure faded">{{ row.place + 1 }}</span></template
            >
            <template #name="{ row }"
              ><b>{{ row.rule.name }}</b
              ><br /><span class="faded">{{ row.rule.applies_to.join(', ') }}</span></template
            >
            <template #words="{ row }">{{ words[row.place] }}</template>
            <template #act="{ row }">
              <span class="nowrap">
                <BButton size="sm" variant="link" :disabled="row.place === 0" :aria-label="`Move ${row.rule.name} up`" @click.stop="move(row.place, -1)">▴</BButton>
                <BButton size="sm" variant="link" :disabled="row.place === rules.length - 1" :aria-label="`Move ${row.rule.name} down`" @click.stop="move(row.place, 1)">▾</BButton>
                <BButton size="sm" variant="link" @click.stop="rules.splice(row.place, 1)">remove</BButton>
              </span>
            </template>
          </DataTable>
          <p v-else class="faded">Add one to record less, more, or only for a while.</p>
          <h2 class="part mt-3">
            <span>The same as a file</span><code>{{ data.command }}</code>
          </h2>
          <BFormTextarea v-model="yaml" rows="11" class="sql" aria-label="Rules as YAML" data-test="rules-yaml" @input="typed = true" />
          <ProblemLine :problem="problem" />
          <div class="form-line mt-2">
            <BButton size="sm" variant="primary" :disabled="busy || (!changed && !typed)" data-test="rules-save" @click="save">{{ typed ? 'Save the file' : 'Save the rules' }}</BButton>
            <BButton v-if="changed || typed" size="sm" variant="link" @click="show(data)">Cancel</BButton>
            <span v-if="!changed && !typed" class="faded">saved and in force</span>
          </div>
        </section>
        <RuleEditor v-if="rules[chosen]" :key="chosen" v-model="rules[chosen]" :places="places" />
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.two {
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  align-items: start;
}
.nowrap {
  white-space: nowrap;
}
.nowrap :deep(.btn) {
  padding: 0 4px;
}
</style>
