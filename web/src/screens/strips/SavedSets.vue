<script setup lang="ts">
import { BButton, BDropdown, BDropdownItem, BFormInput } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useAnswer } from '@/state/fetching'
import { useWork } from '@/state/work'

/** Sets of strips that people saved: open one, save what is shown under a name, delete one. */
const props = defineProps<{ bands: string[] }>()
const emit = defineEmits<{ open: [string[]] }>()
const name = ref('')
const saved = useAnswer(
  () => ({}),
  () => api.GET('/api/strips/saved'),
)
const { problem, busy, run, wrong } = useWork()
const save = () =>
  run(async () => {
    await answered(api.PUT('/api/strips/saved', { body: { name: name.value.trim(), bands: props.bands } }))
    name.value = ''
    await saved.ask()
  })
const remove = (id: number) =>
  run(async () => {
    await answered(api.DELETE('/api/strips/saved/{set_id}', { params: { path: { set_id: id } } }))
    await saved.ask()
  })
</script>

<template>
  <BDropdown size="sm" variant="outline-secondary" text="Saved sets" data-test="saved-sets">
    <li v-if="!saved.data.value?.length" class="none faded">Nothing is saved yet.</li>
    <BDropdownItem v-for="one in saved.data.value ?? []" :key="one.id" :title="`saved by ${one.saved_by || 'nobody known'}, ${one.bands.length} figures`" @click="emit('open', one.bands)">
      {{ one.name }} <button type="button" class="btn btn-link btn-sm p-0 ms-2" :aria-label="`Delete ${one.name}`" @click.stop="remove(one.id)">delete</button>
    </BDropdownItem>
  </BDropdown>
  <form class="form-line" @submit.prevent="save">
    <BFormInput v-model="name" size="sm" placeholder="loans at rush hour" aria-label="Name of the set" maxlength="80" :state="wrong('name')" />
    <BButton size="sm" type="submit" variant="outline-secondary" :disabled="busy || !name.trim() || !bands.length">Save</BButton>
  </form>
  <ProblemLine :problem="problem" />
</template>

<style scoped>
.none {
  padding: 4px 14px;
  font-size: 13px;
}
</style>
