<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { put, type Schemas } from '@/api/client'
import SameAsFile from './SameAsFile.vue'
import SetupTabs from './SetupTabs.vue'
import { useWork } from './work'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import CellBar from '@/parts/CellBar.vue'
import FigureText from '@/parts/FigureText.vue'
import { useAnswer } from '@/state/fetching'

const answer = useAnswer<Schemas['Storage']>(() => 'storage')
const { problem, busy, run, wrong } = useWork()
const limits = ref<Schemas['Limits'] | null>(null)
const saved = ref(false)
const gigabytes = computed({
  get: () => (limits.value?.most_bytes ? String(limits.value.most_bytes / 1e9) : ''),
  set: (value) => (limits.value!.most_bytes = value === '' ? null : Math.round(Number(value) * 1e9)),
})
const KINDS = [['sample', 'session samples'], ['execution', 'executions'], ['statement', 'statement intervals'], ['metric', 'figures of servers']] as const
const days = (kind: (typeof KINDS)[number][0]) => `${kind}_days` as const
const prices = computed(() => [...(answer.data.value?.prices ?? [])].sort((a, b) => b.bytes_a_day - a.bytes_a_day))
const most = computed(() => Math.max(1, ...prices.value.map((one) => one.bytes_a_day)))
watch(answer.data, (data) => data && !limits.value && (limits.value = { ...data.limits }))
const save = () => run(async () => {
  saved.value = false
  await put('storage/limits', limits.value)
  saved.value = true
  await answer.ask()
})
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #beside><SetupTabs /></template>
    <template #default="{ data }">
      <div class="cols two">
        <section>
          <h2 class="part"><span>What recording costs, by server, over the last hour</span></h2>
          <table class="ruled">
            <thead><tr><th>server</th><th class="num">stored a day</th><th class="num">calls/s</th><th class="num">waited for</th><th class="num">work here</th><th class="num">work there</th></tr></thead>
            <tbody>
              <tr v-for="one in prices" :key="one.server">
                <td>{{ one.server }}</td>
                <td class="num"><CellBar :value="one.bytes_a_day" :max="most"><FigureText :value="one.bytes_a_day" unit="B" /></CellBar></td>
                <td class="num"><FigureText :value="one.calls_per_s" unit="" missing="not yet" /></td>
                <td class="num"><FigureText :value="one.waited_share" unit="share" missing="not yet" /></td>
                <td class="num"><FigureText :value="one.core_share" unit="share" missing="not yet" /></td>
                <td class="num"><FigureText :value="one.server_share" unit="share" missing="not told" /></td>
              </tr>
            </tbody>
          </table>
          <p class="faded small mt-2">Calls to the server, the share of time spent waiting for its answers, what recording it takes of a core here, and, where the server counts it, what answering takes of a core there.</p>
        </section>
        <section>
          <h2 class="part"><span>How long it is kept</span><span><FigureText :value="data.used_bytes" unit="B" /> in all</span></h2>
          <form v-if="limits" class="form-grid" @submit.prevent="save">
            <template v-for="[kind, words] in KINDS" :key="kind">
              <label :for="kind">{{ words }}</label>
              <div class="form-line"><BFormInput :id="kind" v-model.number="limits[days(kind)]" type="number" min="1" size="sm" class="short" :state="wrong(days(kind))" /> days <span class="faded"><FigureText :value="data.by_kind[kind] ?? 0" unit="B" /></span></div>
            </template>
            <label for="size">at most</label>
            <div class="form-line"><BFormInput id="size" v-model="gigabytes" type="number" min="0.01" step="any" size="sm" class="short" placeholder="no limit" :state="wrong('most_bytes')" /> GB</div>
            <span></span>
            <BFormCheckbox v-model="limits.make_room">drop the oldest samples and executions before the limit, instead of recording nothing new at it</BFormCheckbox>
            <span></span>
            <div class="form-line"><BButton type="submit" size="sm" variant="primary" :disabled="busy">Save</BButton><span v-if="saved" class="faded">saved; cleaned up within ten minutes</span><span v-if="problem" class="act" role="alert">{{ problem.detail }}</span></div>
          </form>
          <SameAsFile class="mt-3" :yaml="data.yaml" :command="data.command" />
        </section>
      </div>
    </template>
  </AnswerSheet>
</template>

<style scoped>
.two { grid-template-columns: minmax(0, 3fr) minmax(0, 2fr); align-items: start; }
.form-grid { grid-template-columns: 130px minmax(0, 1fr); }
.short { width: 100px; }
</style>
