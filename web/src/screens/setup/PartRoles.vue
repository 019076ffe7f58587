<script setup lang="ts">
import { BButton, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'

/** Roles of a person for single clusters and labels, besides the one for the whole fleet. */
const { person, grants, groups, busy } = defineProps<{ person: string; grants: Schemas['Grant'][]; groups: Schemas['Groups']; busy: boolean }>()
const emit = defineEmits<{ change: [grants: Schemas['NewGrant'][]] }>()
const KINDS = ['cluster', 'label'] as const
const PARTS = ['viewer', 'engineer'] as const
const kind = ref<(typeof KINDS)[number]>('cluster')
const role = ref<(typeof PARTS)[number]>('viewer')
const name = ref('')
const adding = ref(false)
const known = computed(() => (kind.value === 'cluster' ? groups.clusters : groups.labels))
const others = computed(() => grants.filter((one) => one.kind !== kind.value || one.name !== name.value) as Schemas['NewGrant'][])
function add() {
  emit('change', [...others.value, { kind: kind.value, name: name.value.trim(), role: role.value }])
  name.value = ''
  adding.value = false
}
const drop = (gone: Schemas['Grant']) => emit('change', grants.filter((one) => one !== gone) as Schemas['NewGrant'][])
</script>

<template>
  <div class="parts">
    <div v-for="one in grants" :key="`${one.kind} ${one.name}`" class="one">
      {{ one.role }} of {{ one.kind }} <b>{{ one.name }}</b>
      <BButton size="sm" variant="link" :disabled="busy" :aria-label="`Take the role for ${one.kind} ${one.name} from ${person}`" @click="drop(one)">Remove</BButton>
    </div>
    <BButton v-if="!adding" size="sm" variant="link" class="add" :aria-label="`Add a role for a part to ${person}`" @click="adding = true">Add</BButton>
    <form v-else class="form-line" @submit.prevent="add">
      <BFormSelect v-model="role" :options="[...PARTS]" size="sm" :aria-label="`Role of ${person} for a part`" class="short" />
      <span>of</span>
      <BFormSelect v-model="kind" :options="[...KINDS]" size="sm" :aria-label="`Part for ${person}`" class="short" />
      <BFormInput v-model="name" size="sm" :list="`parts-${person}`" placeholder="name" :aria-label="`Name of the part for ${person}`" autocomplete="off" />
      <datalist :id="`parts-${person}`"><option v-for="one in known" :key="one" :value="one" /></datalist>
      <BButton type="submit" size="sm" variant="outline-secondary" :disabled="busy || !name.trim()" :data-test="`part-add-${person}`">Add</BButton>
    </form>
  </div>
</template>

<style scoped>
.add {
  padding-left: 0;
}
.one {
  display: flex;
  align-items: baseline;
  gap: 4px;
}
.short {
  width: 100px;
  flex: none;
}
</style>
