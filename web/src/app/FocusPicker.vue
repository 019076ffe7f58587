<script setup lang="ts">
import { BButton, BDropdown, BDropdownItemButton, BFormInput } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { api } from '@/api/client'
import { useAnswer } from '@/state/fetching'
import { MINUTE, DAY, HOUR, durationOf } from '@/state/span'
import { duration, text } from '@/state/units'
import { picking, useWindow } from '@/state/window'

/** The focus in one control: following now over a length, or any past span; with the steps in which it is drawn. */
defineProps<{ words: string }>()
const LENGTHS = [5 * MINUTE, 15 * MINUTE, HOUR, 6 * HOUR, DAY, 7 * DAY, 35 * DAY]
const w = useWindow()
const local = (us: number) => new Date(us / 1000).toISOString().slice(0, 16)
const moment = (value: string) => Date.parse(`${value}Z`) * 1000
const from = ref('')
const to = ref('')
watch(picking, (open) => {
  if (open) [from.value, to.value] = [local(w.focus.value.from), local(w.focus.value.to)]
})
const span = computed(() => ({ from: moment(from.value), to: moment(to.value) }))
const wrong = computed(() => {
  if (!Number.isFinite(span.value.from) || !Number.isFinite(span.value.to)) return 'Give both, as year, month, day, hour and minute.'
  if (span.value.to <= span.value.from) return 'The end has to be after the beginning.'
  return longest.value && span.value.to - span.value.from > longest.value ? `At most ${text(duration(longest.value / 1e6))}.` : ''
})
const known = useAnswer(
  () => (picking.value ? { focus: w.focusText.value } : null),
  (query) => api.GET('/api/focus', { params: { query } }),
)
const longest = computed(() => known.data.value?.longest_us ?? 0)
const follow = (length: number) => w.change({ focus: durationOf(length), view: undefined })
function apply() {
  if (wrong.value) return
  picking.value = false
  return w.setFocus(span.value)
}
</script>

<template>
  <BDropdown v-model="picking" size="sm" variant="link" :text="`focus ${words}`" auto-close="outside" data-test="focus-picker">
    <BDropdownItemButton v-for="length in LENGTHS" :key="length" @click="((picking = false), follow(length))">last {{ text(duration(length / 1e6)) }}, following now</BDropdownItemButton>
    <li>
      <form class="span" @submit.prevent="apply">
        <label for="focus-from">From, UTC</label>
        <BFormInput id="focus-from" v-model="from" type="datetime-local" size="sm" />
        <label for="focus-to">to</label>
        <BFormInput id="focus-to" v-model="to" type="datetime-local" size="sm" />
        <span v-if="wrong" class="act">{{ wrong }}</span>
        <BButton size="sm" type="submit" variant="outline-secondary" :disabled="!!wrong">Show this time</BButton>
        <span class="faded">{{ known.data.value?.words }} <RouterLink :to="{ name: 'setup-storage' }">What is kept</RouterLink></span>
      </form>
    </li>
  </BDropdown>
</template>

<style scoped>
.span {
  display: grid;
  gap: 4px;
  padding: 6px 16px 8px;
  border-top: 1px solid var(--rule);
  font-size: 13px;
  width: 262px;
  white-space: normal;
}
</style>
