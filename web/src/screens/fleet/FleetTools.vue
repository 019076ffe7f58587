<script setup lang="ts">
import { BButton, BDropdown, BDropdownForm, BDropdownItem, BFormCheckbox, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import { answered, api, query, type Schemas } from '@/api/client'
import { NAMES, type Filters } from './filters'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

/** Search, filters with their count, and views that were saved. */
const props = defineProps<{ filters: Filters; fleet: Schemas['Fleet']; shown: number; allChosen: boolean }>()
const emit = defineEmits<{ all: [boolean] }>()
const w = useWindow()
const views = useAnswer(
  () => 'views',
  () => api.GET('/api/fleet/views'),
)
const name = ref('')
const { problem, run } = useWork()
const set = (which: keyof Filters, value: unknown) => w.change({ [which]: value ? String(value) : undefined })
const lines = computed(() => props.fleet.clusters.flatMap((block) => block.lines))
const choices = (all: string, values: string[]) => [{ value: '', text: all }, ...[...new Set(values)].sort()]
const roles = computed(() =>
  choices(
    'any role',
    lines.value.map((line) => line.role),
  ),
)
const labels = computed(() => choices('any label', props.fleet.labels))
const captures = computed(() =>
  choices(
    'any capture',
    lines.value.map((line) => line.capture),
  ),
)
const now = computed(() => query(props.filters))
const current = computed(() => views.data.value?.find((one) => one.query === now.value)?.name)
const open = (view: Schemas['View']) => {
  const wanted = new URLSearchParams(view.query)
  return w.change(Object.fromEntries(NAMES.map((one) => [one, wanted.get(one) ?? undefined])))
}
const change = (job: () => Promise<unknown>) =>
  run(async () => {
    await job()
    name.value = ''
    await views.ask()
  })
const save = () => change(() => answered(api.PUT('/api/fleet/views', { body: { name: name.value.trim(), query: now.value } })))
const forget = (view: string) => change(() => answered(api.DELETE('/api/fleet/views/{name}', { params: { path: { name: view } } })))
</script>

<template>
  <div class="tools">
    <BFormCheckbox :model-value="allChosen" aria-label="Choose all that are shown" @update:model-value="emit('all', !!$event)" />
    <BFormInput :model-value="filters.search" size="sm" placeholder="Search servers" aria-label="Search servers" class="search" @update:model-value="set('search', $event)" />
    <BFormCheckbox :model-value="!!filters.unusual" @update:model-value="set('unusual', $event && '1')">unusual</BFormCheckbox>
    <BFormCheckbox :model-value="!!filters.unlike" @update:model-value="set('unlike', $event && '1')">unlike its peers</BFormCheckbox>
    <BFormSelect :model-value="filters.role" :options="roles" size="sm" aria-label="Role" class="pick" @update:model-value="set('role', $event)" />
    <BFormSelect v-if="fleet.labels.length" :model-value="filters.label" :options="labels" size="sm" aria-label="Label" class="pick" @update:model-value="set('label', $event)" />
    <BFormSelect :model-value="filters.capture" :options="captures" size="sm" aria-label="Capture" class="pick" @update:model-value="set('capture', $event)" />
    <span class="faded" data-test="count">{{ shown }} of {{ fleet.servers }} servers</span>
    <BDropdown size="sm" variant="link" :text="current ?? 'views'" no-caret toggle-class="p-0" data-test="views">
      <BDropdownItem v-for="view in views.data.value ?? []" :key="view.name" @click="open(view)">{{ view.name }}</BDropdownItem>
      <BDropdownForm @submit.prevent="save">
        <div class="saving">
          <BFormInput v-model="name" size="sm" placeholder="name" aria-label="Name of the view" /><BButton type="submit" size="sm" variant="outline-secondary" :disabled="!name.trim()"
            >Save this view</BButton
          >
        </div>
        <ProblemLine :problem="problem" />
      </BDropdownForm>
      <BDropdownItem v-if="current" @click="forget(current)">Remove {{ current }}</BDropdownItem>
    </BDropdown>
    <slot />
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 14px;
  align-items: center;
  margin-bottom: 10px;
  font-size: 13px;
  flex-wrap: wrap;
}
.tools :deep(.form-check) {
  margin: 0;
  min-height: 0;
}
.search {
  width: 180px;
}
.pick {
  width: 120px;
}
.saving {
  display: flex;
  gap: 6px;
  width: 260px;
}
</style>
