<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import type { Schemas } from '@/api/client'
import { type Arm } from './design'

type Setting = Schemas['SettingChoice']
const props = defineProps<{ settings: Setting[]; indexes: string[] }>()
/** Arms of a trial: the first is the control. Settings are chosen from what the target can change. */
const arms = defineModel<Arm[]>({ required: true })
const known = () => props.settings
const find = (name: string) => known().find((one) => one.name === name)
const typed = (name: string, value: unknown) => (find(name)?.number ? Number(value) : String(value))

function rename(arm: Arm, from: string, to: string) {
  const value = find(to)?.default ?? ''
  arm.settings = Object.fromEntries(Object.entries(arm.settings ?? {}).map(([name, old]) => (name === from ? [to, value] : [name, old])))
}
const set = (arm: Arm, name: string, value: unknown) => (arm.settings = { ...arm.settings, [name]: typed(name, value) })
const said = (name: string) => [find(name)?.range, find(name)?.restart ? 'wants a restart' : ''].filter(Boolean).join('; ')
function add(arm: Arm) {
  const free = known().find((one) => !(one.name in (arm.settings ?? {})))
  if (free) arm.settings = { ...arm.settings, [free.name]: free.default }
}
function without(arm: Arm, name: string) {
  arm.settings = Object.fromEntries(Object.entries(arm.settings ?? {}).filter(([one]) => one !== name))
}
const addIndex = (arm: Arm) => (arm.add_indexes = [...(arm.add_indexes ?? []), { table: '', columns: [] }])
const withoutIndex = (arm: Arm, place: number) => (arm.add_indexes = arm.add_indexes?.filter((_, at) => at !== place))
const columnsOf = (words: string) =>
  words
    .split(',')
    .map((one) => one.trim())
    .filter(Boolean)
</script>

<template>
  <div>
    <div v-for="(arm, i) in arms" :key="i" class="arm">
      <BFormInput v-model="arm.name" size="sm" class="name" :aria-label="`Name of arm ${i + 1}`" />
      <span class="faded">{{ i === 0 ? 'control' : 'candidate' }}</span>
      <div>
        <div v-for="(value, name) in arm.settings" :key="name" class="setting">
          <BFormSelect
            :model-value="String(name)"
            :options="known().map((one) => one.name)"
            size="sm"
            :aria-label="`Setting of ${arm.name}`"
            @update:model-value="(to) => rename(arm, String(name), String(to))"
          />
          <BFormSelect
            v-if="find(String(name))?.choices"
            :model-value="String(value)"
            :options="find(String(name))!.choices!"
            size="sm"
            :aria-label="`Value of ${name}`"
            @update:model-value="(to) => set(arm, String(name), to)"
          />
          <BFormInput
            v-else
            :model-value="String(value)"
            size="sm"
            :type="find(String(name))?.number ? 'number' : 'text'"
            :aria-label="`Value of ${name}`"
            @update:model-value="(to) => set(arm, String(name), to)"
          />
          <span class="faded" :title="find(String(name))?.description">{{ said(String(name)) }}</span>
          <BButton size="sm" variant="link" @click="without(arm, String(name))">remove</BButton>
        </div>
        <div v-for="(index, place) in arm.add_indexes" :key="place" class="index">
          <span class="faded">index on</span>
          <BFormInput v-model="index.table" size="sm" placeholder="table" :aria-label="`Table of an index of ${arm.name}`" data-test="index-table" />
          <BFormInput
            :model-value="index.columns.join(', ')"
            size="sm"
            :model-modifiers="{ lazy: true }"
            placeholder="columns, in order"
            :aria-label="`Columns of an index of ${arm.name}`"
            data-test="index-columns"
            @update:model-value="(words) => (index.columns = columnsOf(String(words)))"
          />
          <BButton size="sm" variant="link" @click="withoutIndex(arm, place)">remove</BButton>
        </div>
        <span v-if="arm.drop_indexes?.length || (!arm.add_indexes?.length && !Object.keys(arm.settings ?? {}).length)">{{ indexes[i] ?? 'as it is' }}</span>
        <BButton v-if="known().length" size="sm" variant="link" @click="add(arm)">add a setting</BButton>
        <BButton size="sm" variant="link" data-test="add-index" @click="addIndex(arm)">add an index</BButton>
      </div>
    </div>
  </div>
</template>

<style scoped>
.arm {
  display: grid;
  grid-template-columns: 140px 70px 1fr;
  gap: 10px;
  align-items: start;
  border-bottom: 1px solid var(--rule);
  padding: 5px 0;
}
.index {
  display: grid;
  grid-template-columns: auto 150px 220px auto;
  gap: 8px;
  align-items: center;
  justify-content: start;
  margin-bottom: 4px;
}
.setting {
  display: grid;
  grid-template-columns: 150px 140px auto auto;
  gap: 8px;
  align-items: center;
  justify-content: start;
  margin-bottom: 4px;
}
</style>
