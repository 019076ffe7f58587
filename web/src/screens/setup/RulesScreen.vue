<script setup lang="ts">
import { BButton, BDropdown, BDropdownItemButton, BFormTextarea } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { post, put, type Schemas } from '@/api/client'
import RuleEditor from './RuleEditor.vue'
import SetupTabs from './SetupTabs.vue'
import { modeWords, type Rule } from './rule'
import { useWork } from './work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'

const answer = useAnswer<Schemas['Rules']>(() => 'rules')
const fleet = useAnswer<Schemas['Connections']>(() => 'connections')
const { problem, busy, run } = useWork()
const rules = ref<Rule[]>([])
const chosen = ref(0)
const yaml = ref('')
const typed = ref(false)
const changed = computed(() => JSON.stringify(rules.value) !== JSON.stringify(answer.data.value?.rules ?? []))
const places = computed(() => {
  const all = fleet.data.value?.connections.filter((one) => !one.retired) ?? []
  return ['fleet', ...new Set(all.map((one) => one.cluster)), ...(fleet.data.value?.labels ?? []), ...all.map((one) => one.server)]
})
const sentence = computed(() => {
  const count = answer.data.value?.rules.length ?? 0
  if (!count) return 'No rule: everything is recorded of every server, sessions each second, executions from 100 ms.'
  return `${count} rule${count > 1 ? 's' : ''}; the first that fits a server is followed there, and where none fits everything is recorded.`
})

function show(data: Schemas['Rules']) {
  rules.value = JSON.parse(JSON.stringify(data.rules))
  yaml.value = data.yaml
  typed.value = false
  chosen.value = Math.min(chosen.value, Math.max(0, rules.value.length - 1))
}
watch(answer.data, (data) => data && !changed.value && show(data))
watch(answer.data, (data) => data && !rules.value.length && show(data), { immediate: true })
watch(rules, async (now) => {
  if (!changed.value || typed.value) return
  const names = now.map((one) => one.name)
  if (now.every((one) => one.name && one.applies_to.length) && new Set(names).size === names.length) {
    yaml.value = (await post<Schemas['Rules']>('rules/preview', { rules: now }).catch(() => ({ yaml: yaml.value }))).yaml
  }
}, { deep: true })

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
const save = () => run(async () => {
  answer.data.value = typed.value ? await put<Schemas['Rules']>('rules/yaml', yaml.value, 'text/plain') : await put<Schemas['Rules']>('rules', { rules: rules.value })
  show(answer.data.value)
})
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #sentence>{{ sentence }}</template>
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
          <table v-if="rules.length" class="ruled">
            <tbody>
              <tr v-for="(rule, i) in rules" :key="i" class="link" :class="{ chosen: i === chosen }" @click="chosen = i">
                <td class="figure faded">{{ i + 1 }}</td>
                <td><button type="button" class="plain" @click.stop="chosen = i">{{ rule.name }}</button><br /><span class="faded">{{ rule.applies_to.join(', ') }}</span></td>
                <td>{{ modeWords(rule) }}</td>
                <td class="text-end nowrap">
                  <BButton size="sm" variant="link" :disabled="i === 0" :aria-label="`Move ${rule.name} up`" @click.stop="move(i, -1)">▴</BButton>
                  <BButton size="sm" variant="link" :disabled="i === rules.length - 1" :aria-label="`Move ${rule.name} down`" @click.stop="move(i, 1)">▾</BButton>
                  <BButton size="sm" variant="link" @click.stop="rules.splice(i, 1)">take out</BButton>
                </td>
              </tr>
            </tbody>
          </table>
          <p v-else class="faded">Add one to record less, more, or only for a while.</p>
          <h2 class="part mt-3"><span>The same as a file</span><code>{{ data.command }}</code></h2>
          <BFormTextarea v-model="yaml" rows="11" class="sql" aria-label="Rules as YAML" data-test="rules-yaml" @input="typed = true" />
          <p v-if="problem" class="act mt-2 mb-0" role="alert">{{ problem.title }}. {{ problem.detail }}</p>
          <div class="form-line mt-2">
            <BButton size="sm" variant="primary" :disabled="busy || (!changed && !typed)" data-test="rules-save" @click="save">{{ typed ? 'Follow the file' : 'Follow these rules' }}</BButton>
            <BButton v-if="changed || typed" size="sm" variant="link" @click="show(data)">Leave them as they were</BButton>
            <span v-if="!changed && !typed" class="faded">followed now</span>
          </div>
        </section>
        <RuleEditor v-if="rules[chosen]" :key="chosen" v-model="rules[chosen]" :places="places" />
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.two { grid-template-columns: minmax(0, 1fr) minmax(0, 1fr); align-items: start; }
.plain { border: 0; background: none; padding: 0; color: var(--ink); font-weight: 600; text-align: left; }
.nowrap { white-space: nowrap; }
.nowrap :deep(.btn) { padding: 0 4px; }
</style>
