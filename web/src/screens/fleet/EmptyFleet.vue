<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed, onMounted, ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import { may } from '@/state/me'
import { useCopy } from '@/state/copy'
import { useWindow } from '@/state/window'
import { useWork } from '@/state/work'

/** What will be here, and the ways to go on, while nothing is recorded yet. */
const w = useWindow()
const { problem, busy, run } = useWork()
const nearby = ref<Schemas['NearbyOut'][]>([])
const looked = ref(false)
const DEMO = 'hardy-gauge demo --port 8643'
const { copied, copy } = useCopy(() => DEMO)
const engineer = computed(() => may('engineer'))
const look = () =>
  run(async () => {
    nearby.value = await answered(api.POST('/api/connections/nearby', { body: { allow: [] } }))
    looked.value = true
  })
onMounted(() => may('administrator') && look())
const connect = (address?: string) =>
  run(async () => {
    if (address) await answered(api.POST('/api/connections/nearby', { body: { allow: [address] } }))
    await w.router.push({ name: 'setup-servers', query: { add: 'one', ...(address && { address }) } })
  })
</script>

<template>
  <div class="empty">
    <p>
      Every server that is recorded will be one line here: its load beside what is usual for it at this hour, what it is waiting for, and what is wrong with it. The first figures of a server come
      within a minute of connecting it; what is usual of an hour is known from the next day on.
    </p>
    <template v-if="nearby.length">
      <h2 class="part"><span>Databases on this machine</span></h2>
      <p v-for="one in nearby" :key="one.address" class="line">
        <span class="engine">{{ one.engine }}</span> <code>{{ one.address }}</code>
        <BButton size="sm" variant="primary" :disabled="busy" data-test="nearby" @click="connect(one.address)">Connect it</BButton>
      </p>
    </template>
    <p v-else-if="looked" class="faded">No database answers at the usual sockets and ports of this machine.</p>
    <ProblemLine :problem="problem" />
    <h2 class="part"><span>Go on</span></h2>
    <dl v-if="engineer">
      <dt><BButton size="sm" :variant="nearby.length ? 'outline-secondary' : 'primary'" data-test="connect" @click="connect()">Connect a server</BButton></dt>
      <dd>By its address, with an account that may read its statistics.</dd>
      <dt><RouterLink :to="{ name: 'setup-servers', query: { add: 'several' } }" class="btn btn-sm btn-outline-secondary">Connect several</RouterLink></dt>
      <dd>From a list: an address a line, CSV or YAML.</dd>
      <dt><RouterLink :to="{ name: 'setup-bundles' }" class="btn btn-sm btn-outline-secondary">Open a bundle</RouterLink></dt>
      <dd>What somebody else recorded and handed over as one file.</dd>
      <dt><RouterLink :to="{ name: 'setup-imports' }" class="btn btn-sm btn-outline-secondary">Import a file</RouterLink></dt>
      <dd>Figures and statements as CSV, Parquet, OpenMetrics or OpenTelemetry.</dd>
      <dt>
        <BButton size="sm" variant="outline-secondary" @click="copy">{{ copied ? 'Copied' : 'Copy the command' }}</BButton>
      </dt>
      <dd>
        The demo beside it, with a made-up library's 22 servers: <code>{{ DEMO }}</code>
      </dd>
    </dl>
    <p v-else class="faded">An engineer or an administrator can connect servers.</p>
  </div>
</template>

<style scoped>
.empty {
  max-width: 820px;
  font-size: 13.5px;
}
.line {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-bottom: 6px;
}
.engine {
  width: 100px;
}
dl {
  display: grid;
  grid-template-columns: 170px minmax(0, 1fr);
  gap: 8px 16px;
  align-items: center;
  margin: 0;
}
dt {
  font-weight: 400;
}
dd {
  margin: 0;
}
</style>
