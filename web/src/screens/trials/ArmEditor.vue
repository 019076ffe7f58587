<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { type Arm } from './design'

interface Setting {
  name: string
  default: string | number
  unit: string | null
  choices: string[] | null
  minimum: number | null
  maximum: number | null
}
const props = defineProps<{ settings: Record<string, unknown>[]; indexes: string[] }>()
/** Arms of a trial: the first is the control. Settings are chosen from what the target can change. */
const arms = defineModel<Arm[]>({ required: true })
const known = () => props.settings as unknown as Setting[]
const find = (name: string) => known().find((one) => one.name === name)
const typed = (name: string, value: unknown) => (find(name)?.choices ? String(value) : Number(value))

function rename(arm: Arm, from: string, to: string) {
  const value = find(to)?.default ?? ''
  arm.settings = Object.fromEntries(Object.entries(arm.settings ?? {}).map(([name, old]) => (name === from ? [to, value] : [name, old])))
}
const set = (arm: Arm, name: string, value: unknown) => (arm.settings = { ...arm.settings, [name]: typed(name, value) })
const range = (name: string) => {
  const one = find(name)
  return one?.minimum !== null && one?.minimum !== undefined ? `${one.minimum.toLocaleString('en-GB')} to ${one.maximum?.toLocaleString('en-GB')} ${one.unit ?? ''}` : ''
}
function add(arm: Arm) {
  const free = known().find((one) => !(one.name in (arm.settings ?? {})))
  if (free) arm.settings = { ...arm.settings, [free.name]: free.default }
}
function without(arm: Arm, name: string) {
  arm.settings = Object.fromEntries(Object.entries(arm.settings ?? {}).filter(([one]) => one !== name))
}
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
          <BFormInput v-else :model-value="String(value)" size="sm" type="number" :aria-label="`Value of ${name}`" @update:model-value="(to) => set(arm, String(name), to)" />
          <span class="faded">{{ range(String(name)) }}</span>
          <BButton size="sm" variant="link" @click="without(arm, String(name))">remove</BButton>
        </div>
        <span v-if="arm.add_indexes?.length || arm.drop_indexes?.length || !Object.keys(arm.settings ?? {}).length">{{ indexes[i] }}</span>
        <BButton v-if="known().length" size="sm" variant="link" @click="add(arm)">add a setting</BButton>
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
.setting {
  display: grid;
  grid-template-columns: 150px 140px auto auto;
  gap: 8px;
  align-items: center;
  justify-content: start;
  margin-bottom: 4px;
}
</style>
