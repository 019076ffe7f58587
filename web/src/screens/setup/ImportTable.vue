<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { ref, watch } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import DataTable from '@/parts/DataTable.vue'
import type { Column } from '@/parts/table'
import { HOUR, textOf } from '@/state/span'
import { clock, day } from '@/state/units'

/** What was imported, the latest first; one opens to the lines that were rejected. */
type Import = Schemas['ImportOut']
const props = defineProps<{ rows: Import[]; open: number | null; busy: boolean }>()
const emit = defineEmits<{ undo: [number] }>()
const MOST_SERVERS = 4
const shown = ref<Import | null>(null)
const show = async (id: number) => (shown.value = shown.value?.id === id ? null : await answered(api.GET('/api/imports/{import_id}', { params: { path: { import_id: id } } })))
const focus = (row: Import) => (row.since_us && row.until_us ? { focus: textOf({ from: row.since_us, to: Math.max(row.until_us, row.since_us + HOUR) }) } : {})
watch(
  () => props.open,
  (id) => id && show(id),
  { immediate: true },
)
const COLUMNS: Column<Import>[] = [
  { key: 'name', title: 'file', value: (row) => row.name },
  { key: 'created', title: 'imported', value: (row) => row.created_us },
  { key: 'servers', title: 'to', value: (row) => row.servers.join(', ') },
  { key: 'accepted', title: 'accepted', unit: '', value: (row) => row.accepted },
  { key: 'rejected', title: 'rejected', unit: '', value: (row) => row.rejected_count },
  { key: 'act', title: '' },
]
</script>

<template>
  <div data-test="imports">
    <DataTable
      :rows="rows"
      :columns="COLUMNS"
      :row-key="(row) => row.id"
      :marked="(row) => (row.state === 'done' ? '' : 'faded')"
      :expanded="(row) => shown?.id === row.id && shown.rejected_count > 0"
    >
      <template #name="{ row }"
        >{{ row.name }} <span class="faded">{{ row.format }}{{ row.state === 'done' ? '' : `, ${row.state}` }}</span></template
      >
      <template #created="{ row }"
        ><span class="figure">{{ day(row.created_us) }} {{ clock(row.created_us) }}</span> <span class="faded">{{ row.who }}</span></template
      >
      <template #servers="{ row }"
        ><template v-for="(server, i) in row.servers.slice(0, MOST_SERVERS)" :key="server"
          >{{ i ? ', ' : '' }}<RouterLink v-if="row.state === 'done'" :to="{ name: 'server', params: { server }, query: focus(row) }">{{ server }}</RouterLink
          ><template v-else>{{ server }}</template></template
        >{{ row.servers.length > MOST_SERVERS ? ` and ${row.servers.length - MOST_SERVERS} more` : ''
        }}<RouterLink v-if="row.format === 'workload' && row.state === 'done'" :to="{ name: 'new-trial' }">a new trial</RouterLink></template
      >
      <template #accepted="{ row }">{{ row.accepted.toLocaleString('en-GB') }}</template>
      <template #rejected="{ row }"
        ><BButton v-if="row.rejected_count" size="sm" variant="link" class="p-0" :aria-label="`Rejected lines of ${row.name}`" @click="show(row.id)">{{
          row.rejected_count.toLocaleString('en-GB')
        }}</BButton
        ><template v-else>0</template></template
      >
      <template #act="{ row }"><BButton v-if="row.state === 'done'" size="sm" variant="link" class="p-0" :disabled="busy" :data-undo="row.id" @click="emit('undo', row.id)">Undo</BButton></template>
      <template #below>
        <template v-if="shown">
          <p v-for="(count, why) in shown.reasons" :key="why" class="mb-0">
            <span class="figure">{{ count.toLocaleString('en-GB') }}</span> × {{ why }}
          </p>
          <ul>
            <li v-for="(one, i) in shown.rejected.slice(0, 40)" :key="i">
              <span class="figure faded">line {{ one.line }}</span> {{ one.why }}
            </li>
          </ul>
          <a :href="`/api/imports/${shown.id}/rejected`" download>every line as CSV</a>
        </template>
      </template>
    </DataTable>
  </div>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 0;
  margin: 6px 0;
  max-height: 240px;
  overflow: auto;
}
</style>
