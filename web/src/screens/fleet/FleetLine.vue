<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import FigureText from '@/parts/FigureText.vue'
import GaugeScale from '@/parts/GaugeScale.vue'
import TraceLine from '@/parts/TraceLine.vue'
import { useWindow } from '@/state/window'

const props = defineProps<{ line: Schemas['Line']; peers: Schemas['Line'][]; peak: number }>()
const w = useWindow()
const others = computed(() => props.peers.filter((peer) => peer.server !== props.line.server).map((peer) => peer.active_sessions.value ?? 0))
const to = computed(() => ({ name: 'server', params: { server: props.line.server }, query: w.kept.value }))
</script>

<template>
  <tr class="link" :class="{ unusual: line.unusual }" :data-server="line.server" @click="w.router.push(to)">
    <td class="who"><RouterLink :to="to" @click.stop>{{ line.server }}</RouterLink> <span class="faded">{{ line.role }}</span></td>
    <td class="words">{{ line.words }}</td>
    <td class="num"><FigureText :value="line.active_sessions.value" unit="" /></td>
    <td><GaugeScale name="Active sessions" :value="line.active_sessions.value" :low="line.active_sessions.low" :high="line.active_sessions.high" unit="" :width="120" :max="peak" /></td>
    <td class="num"><FigureText :value="line.response_s.value" unit="s" /></td>
    <td><GaugeScale name="Time per call" :value="line.response_s.value" :low="line.response_s.low" :high="line.response_s.high" unit="s" :width="90" /></td>
    <td><GaugeScale v-if="others.length" name="Active sessions among peers" :value="line.active_sessions.value" :others="others" unit="" :width="90" :max="peak" /><span v-else class="faded">no peers</span></td>
    <td><TraceLine :values="line.trace" :name="`Active sessions of ${line.server}`" :width="104" /></td>
    <td class="num">
      <template v-if="line.storage_days_left !== null"><FigureText :value="line.storage_days_left * 86400" unit="s" /></template>
      <span v-else class="unit">{{ line.storage_used_share === null ? 'not reported' : 'not growing' }}</span>
    </td>
    <td :class="{ act: line.capture === 'failing' }" :title="line.capture_words">{{ line.capture }}</td>
  </tr>
</template>

<style scoped>
td { padding-top: 6px !important; padding-bottom: 6px !important; vertical-align: middle !important; }
.who { white-space: nowrap; }
.who a { font-weight: 600; }
.unusual .words { font-weight: 600; }
</style>
