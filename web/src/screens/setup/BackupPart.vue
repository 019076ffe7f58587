<script setup lang="ts">
import { BButton, BFormInput } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import ProblemLine from '@/parts/ProblemLine.vue'
import type { Column } from '@/parts/table'
import { may } from '@/state/me'
import { clock, day } from '@/state/units'
import { useWork } from '@/state/work'

/** Backups of the store: how often, how many are kept, and those there are. */
const props = defineProps<{ storage: Schemas['Storage'] }>()
const emit = defineEmits<{ changed: [] }>()
const { problem, busy, run, wrong } = useWork()
const schedule = ref({ ...props.storage.schedule })
const saved = ref(false)
const BACKUPS: Column<Schemas['BackupOut']>[] = [
  { key: 'name', title: 'backup', value: (one) => one.name },
  { key: 'made', title: 'made', value: (one) => one.made_us },
  { key: 'size', title: 'size', unit: 'B', value: (one) => one.size },
]
const save = () =>
  run(async () => {
    saved.value = false
    await answered(api.PUT('/api/storage/backups', { body: schedule.value }))
    saved.value = true
    emit('changed')
  })
const now = () =>
  run(async () => {
    await answered(api.POST('/api/storage/backups'))
    emit('changed')
  })
</script>

<template>
  <section>
    <h2 class="part mt-3">
      <span>Backups</span><span class="faded">{{ storage.encrypted ? 'encrypted' : 'not encrypted' }}</span>
    </h2>
    <form v-if="may('administrator')" class="form-line wrap" @submit.prevent="save">
      every
      <BFormInput v-model.number="schedule.every_hours" type="number" min="0" size="sm" class="short" aria-label="Hours between backups" :state="wrong('every_hours')" data-test="backup-every" />
      hours, the last <BFormInput v-model.number="schedule.keep" type="number" min="1" size="sm" class="short" aria-label="Backups that are kept" :state="wrong('keep')" data-test="backup-keep" /> kept
      <BButton type="submit" size="sm" variant="primary" :disabled="busy" data-test="backup-save">Save</BButton>
      <BButton size="sm" variant="outline-secondary" :disabled="busy" data-test="backup-now" @click="now">{{ busy ? 'Working' : 'Back up now' }}</BButton>
      <span v-if="saved" class="faded">saved</span>
    </form>
    <ProblemLine :problem="problem" />
    <DataTable v-if="storage.backups.length" class="mt-2" :rows="storage.backups" :columns="BACKUPS" :row-key="(one) => one.name">
      <template #made="{ row }"
        ><span class="figure">{{ day(row.made_us) }} {{ clock(row.made_us) }}</span></template
      >
    </DataTable>
    <p v-else class="faded mb-0">No backup is there; 0 hours makes none.</p>
    <p class="faded small mt-2">They lie in {{ storage.backup_folder }}, each checked before it is kept, without the keyring's key. Restore one with <code>hardy-gauge restore</code>.</p>
  </section>
</template>

<style scoped>
.wrap {
  flex-wrap: wrap;
}
.short {
  width: 64px;
  flex: none;
}
</style>
