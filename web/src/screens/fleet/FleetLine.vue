<script setup lang="ts">
import { BFormCheckbox } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import FigureText from '@/parts/FigureText.vue'
import GaugeScale from '@/parts/GaugeScale.vue'
import TraceLine from '@/parts/TraceLine.vue'
import { useWindow } from '@/state/window'

const props = defineProps<{ line: Schemas['Line']; peers: Schemas['Line'][]; peak: number; chosen: boolean }>()
const emit = defineEmits<{ choose: [boolean] }>()
const w = useWindow()
const others = computed(() => props.peers.filter((peer) => props.line.peers.includes(peer.server)).map((peer) => peer.active_sessions.value ?? 0))
const widest = computed(() => 1.25 * Math.max(0.01, props.line.active_sessions.value ?? 0, ...others.value))
const apart = computed(() => (props.line.peer_distance === null ? 'of two, nobody knows which is the odd one' : `${props.line.peer_words}; ${Math.abs(props.line.peer_distance).toFixed(1)} robust deviations from their median`))
const to = computed(() => ({ name: 'server', params: { server: props.line.server }, query: w.kept.value }))
</script>

<template>
  <tr class="link" :class="{ unusual: line.unusual }" :data-server="line.server" @click="w.router.push(to)">
    <td><span class="who"><BFormCheckbox :model-value="chosen" :aria-label="`Choose ${line.server}`" @click.stop @update:model-value="emit('choose', !!$event)" /><RouterLink :to="to" @click.stop>{{ line.server }}</RouterLink> <span class="faded">{{ line.role }}</span></span></td>
    <td class="words">{{ line.words }}<span v-if="line.unlike">, {{ line.peer_words }}</span><span v-for="label in line.labels" :key="label" class="label">{{ label }}</span></td>
    <td class="num"><FigureText :value="line.active_sessions.value" unit="" /></td>
    <td><GaugeScale name="Active sessions" :value="line.active_sessions.value" :low="line.active_sessions.low" :high="line.active_sessions.high" unit="" :width="120" :max="peak" /></td>
    <td class="num"><FigureText :value="line.response_s.value" unit="s" /></td>
    <td><GaugeScale name="Time per call" :value="line.response_s.value" :low="line.response_s.low" :high="line.response_s.high" unit="s" :width="90" /></td>
    <td><GaugeScale v-if="others.length" :title="apart" name="Active sessions among peers" :value="line.active_sessions.value" :others="others" unit="" :width="90" :max="widest" /><span v-else class="faded" title="Servers of one cluster, role, engine and hardware should look alike; this one has no such peer">one of a kind</span></td>
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
.who { display: flex; gap: 6px; align-items: baseline; white-space: nowrap; }
.who a { font-weight: 600; }
.who :deep(.form-check) { margin: 0; min-height: 0; }
.label { margin-left: 6px; padding: 0 5px; border: 1px solid var(--rule-strong); border-radius: 2px; font-size: 12px; font-weight: 400; color: var(--faded); white-space: nowrap; }
.unusual .words { font-weight: 600; }
</style>
