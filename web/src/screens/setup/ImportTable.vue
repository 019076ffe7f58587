<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { ref, watch } from 'vue'
import { get, type Schemas } from '@/api/client'
import { HOUR, textOf } from '@/state/span'
import { clock, day } from '@/state/units'

/** What was brought in, the latest first; one opens to the lines that were not taken. */
const props = defineProps<{ rows: Schemas['ImportOut'][]; open: number | null; busy: boolean }>()
const emit = defineEmits<{ undo: [number] }>()
const shown = ref<Schemas['ImportOut'] | null>(null)
const show = async (id: number) => (shown.value = shown.value?.id === id ? null : await get<Schemas['ImportOut']>(`imports/${id}`))
const focus = (row: Schemas['ImportOut']) => (row.since_us && row.until_us ? { focus: textOf({ from: row.since_us, to: Math.max(row.until_us, row.since_us + HOUR) }) } : {})
watch(() => props.open, (id) => id && show(id), { immediate: true })
</script>

<template>
  <table class="ruled" data-test="imports">
    <thead><tr><th>file</th><th>brought in</th><th>to</th><th class="num">taken</th><th class="num">not</th><th></th></tr></thead>
    <tbody>
      <template v-for="row in rows" :key="row.id">
        <tr :class="{ faded: row.state !== 'done' }">
          <td>{{ row.name }} <span class="faded">{{ row.format }}{{ row.state === 'done' ? '' : `, ${row.state}` }}</span></td>
          <td class="figure">{{ day(row.created_us) }} {{ clock(row.created_us) }} <span class="faded">{{ row.who }}</span></td>
          <td><template v-for="(server, i) in row.servers.slice(0, 4)" :key="server">{{ i ? ', ' : '' }}<RouterLink v-if="row.state === 'done'" :to="{ name: 'server', params: { server }, query: focus(row) }">{{ server }}</RouterLink><template v-else>{{ server }}</template></template>{{ row.servers.length > 4 ? ` and ${row.servers.length - 4} more` : '' }}<RouterLink v-if="row.format === 'workload' && row.state === 'done'" :to="{ name: 'new-trial' }">a new trial</RouterLink></td>
          <td class="num">{{ row.taken.toLocaleString('en') }}</td>
          <td class="num"><BButton v-if="row.left_count" size="sm" variant="link" class="p-0" :aria-label="`Lines of ${row.name} that were not taken`" @click="show(row.id)">{{ row.left_count.toLocaleString('en') }}</BButton><template v-else>0</template></td>
          <td class="text-end"><BButton v-if="row.state === 'done'" size="sm" variant="link" class="p-0" :disabled="busy" :data-undo="row.id" @click="emit('undo', row.id)">Undo</BButton></td>
        </tr>
        <tr v-if="shown?.id === row.id && shown.left_count">
          <td colspan="6" class="left">
            <p v-for="(count, why) in shown.reasons" :key="why"><span class="figure">{{ count.toLocaleString('en') }}</span> × {{ why }}</p>
            <ul><li v-for="(one, i) in shown.left.slice(0, 40)" :key="i"><span class="figure faded">line {{ one.line }}</span> {{ one.why }}</li></ul>
            <a :href="`/api/imports/${row.id}/left`" download>every line as CSV</a>
          </td>
        </tr>
      </template>
    </tbody>
  </table>
</template>

<style scoped>
.left { padding-left: 24px !important; }
.left p { margin: 0; }
ul { list-style: none; padding: 0; margin: 6px 0; max-height: 240px; overflow: auto; }
</style>
