<script setup lang="ts">
import { computed } from 'vue'
import ScaleBar from './ScaleBar.vue'
import ServerTabs from './ServerTabs.vue'
import { api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import DataTable from '@/parts/DataTable.vue'
import FigureText from '@/parts/FigureText.vue'
import type { Column } from '@/parts/table'
import { useAnswer } from '@/state/fetching'
import { share } from '@/state/units'
import { useWindow } from '@/state/window'

/** The machine below a server: cores with what keeps them busy, memory by use, volumes against their limits and the day they fill. */
type Volume = Schemas['HostVolume']
const w = useWindow()
const server = computed(() => String(w.route.params.server))
const answer = useAnswer(
  () => ({ server: server.value, query: { focus: w.focusText.value, reference: w.referenceText.value } }),
  ({ server: name, query }) => api.GET('/api/servers/{server}/host', { params: { path: { server: name }, query } }),
  () => w.following.value,
)
const COLUMNS: Column<Volume>[] = [
  { key: 'name', title: 'volume', width: '88px', value: (one) => one.name },
  { key: 'used', title: 'used', unit: 'B', width: '190px', value: (one) => one.used_bytes / one.capacity_bytes },
  { key: 'fills', title: 'and', wide: true, value: (one) => one.days_left },
  { key: 'reads', title: 'reads', unit: '/s', width: '98px', missing: 'unknown', value: (one) => one.reads },
  { key: 'writes', title: 'writes', unit: '/s', width: '98px', missing: 'unknown', value: (one) => one.writes },
  { key: 'bytes', title: 'bytes', unit: 'B/s', width: '104px', missing: 'unknown', value: (one) => one.bytes },
  { key: 'read', title: 'a read', unit: 's', width: '92px', missing: 'unknown', value: (one) => one.read_s },
  { key: 'write', title: 'a write', unit: 's', width: '92px', missing: 'unknown', value: (one) => one.write_s },
  { key: 'under', title: 'at once', unit: '', width: '74px', missing: 'unknown', value: (one) => one.under_way },
  { key: 'limit', title: 'limit', width: '132px' },
]
const strips = (name: string) => ({
  name: 'strips',
  query: {
    ...w.kept.value,
    scope: server.value,
    band: [`volume_read_latency_s.${name}`, `volume_write_latency_s.${name}`, `volume_reads.${name}`, `volume_writes.${name}`, `volume_used.${name}`].map((one) => `figure:${server.value}:${one}`),
  },
})
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer">
    <ServerTabs />
    <p v-if="data.unknown.length" class="faded mb-2">Not reported: {{ data.unknown.join('; ') }}.</p>
    <div class="cols two">
      <div v-if="data.cores !== null && data.busy.length">
        <h2 class="part">
          <span>Cores</span><span v-if="data.waiting_per_core !== null" class="faded">{{ data.waiting_per_core.toFixed(2) }} threads that run or wait for each core</span>
        </h2>
        <ScaleBar :pieces="data.busy" :whole="data.cores" unit="" name="cores" />
      </div>
      <div v-if="data.memory_bytes && data.memory.length">
        <h2 class="part">
          <span>Memory</span
          ><span class="faded"
            ><template v-if="data.swap_bytes !== null">swap <FigureText :value="data.swap_bytes" unit="B" />, </template
            ><template v-if="data.swapped !== null">{{ data.swapped.toFixed(1) }} pages fetched back a second</template></span
          >
        </h2>
        <ScaleBar :pieces="data.memory" :whole="data.memory_bytes" unit="B" name="memory" />
      </div>
    </div>
    <h2 class="part mt-3"><span>Volumes</span></h2>
    <DataTable v-if="data.volumes.length" :rows="data.volumes" :columns="COLUMNS" :row-key="(one) => one.name">
      <template #name="{ row }"
        ><RouterLink :to="strips(row.name)">{{ row.name }}</RouterLink></template
      >
      <template #used="{ row }">
        <FigureText :value="row.used_bytes" unit="B" /> <span class="unit">of</span> <FigureText :value="row.capacity_bytes" unit="B" />
        <span class="use" aria-hidden="true"><span :style="{ width: `${Math.min(100, (row.used_bytes / row.capacity_bytes) * 100)}%` }"></span></span>
      </template>
      <template #fills="{ row }"
        ><span :class="row.soon ? 'act' : 'faded'">{{ row.fills }}</span></template
      >
      <template #limit="{ row }">
        <template v-if="row.operations_limit || row.bytes_limit"
          ><FigureText v-if="row.operations_limit" :value="row.operations_limit" unit="/s" /><template v-if="row.operations_limit && row.bytes_limit">, </template
          ><FigureText v-if="row.bytes_limit" :value="row.bytes_limit" unit="B/s" /></template
        ><span v-else class="faded">none known</span>
      </template>
    </DataTable>
    <p v-else class="faded">No volume is reported.</p>
    <div class="cols two mt-3">
      <div>
        <h2 class="part"><span>How its system is set</span></h2>
        <table v-if="data.settings.length" class="ruled">
          <tbody>
            <tr v-for="one in data.settings" :key="one.name">
              <td>{{ one.name.replaceAll('_', ' ') }}</td>
              <td>
                <b>{{ one.value }}</b>
              </td>
              <td :class="one.well === false ? 'act' : 'faded'">
                {{ one.well === null ? 'nothing is advised' : one.well ? 'as advised' : `advised: ${one.advised}` }}<template v-if="one.why">; {{ one.why }}</template>
              </td>
            </tr>
          </tbody>
        </table>
        <p v-else class="faded">Not reported. An agent beside the server tells it.</p>
      </div>
      <div>
        <h2 class="part"><span>Network</span></h2>
        <p>
          <template v-if="data.sent !== null && data.received !== null"><FigureText :value="data.sent" unit="B/s" /> sent, <FigureText :value="data.received" unit="B/s" /> received. </template
          ><template v-if="data.retransmitted !== null">{{ (data.retransmitted * 100).toFixed(3) }}% of the packets are sent again.</template
          ><span v-else class="faded">Packets that are sent again are not reported.</span>
        </p>
        <h2 class="part mt-3"><span>Tables that grow</span></h2>
        <table v-if="data.growing?.length" class="ruled" data-test="growing">
          <tbody>
            <tr v-for="one in data.growing" :key="one.table">
              <td>{{ one.table }}</td>
              <td class="num"><FigureText :value="one.bytes_per_day" unit="B" /> <span class="unit">a day</span></td>
              <td class="num">{{ share(one.share) }}</td>
              <td class="num faded"><FigureText :value="one.bytes" unit="B" /></td>
            </tr>
          </tbody>
        </table>
        <p v-else class="faded mb-1">{{ data.growing ? 'No table was seen to grow over three hours or more.' : 'Sizes of tables are not counted.' }}</p>
        <p v-if="data.space" data-test="space">{{ data.space.words }}</p>
      </div>
    </div>
  </AnswerSheet>
</template>

<style scoped>
.two {
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
}
.use {
  display: block;
  height: 3px;
  background: var(--usual);
  margin-top: 1px;
}
.use span {
  display: block;
  height: 3px;
  background: var(--ink);
}
</style>
