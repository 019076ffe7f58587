<script setup lang="ts">
import { BFormInput } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { seconds } from './rule'
import { duration, text } from '@/state/units'

const props = defineProps<{ label: string; off?: boolean }>()
/** A duration with its unit, such as "100 ms"; empty or "off" is null. */
const value = defineModel<number | null | undefined>({ required: true })
const said = (of: number | null | undefined) => (of === null || of === undefined ? (props.off ? 'off' : '') : text(duration(of)))
const written = ref(said(value.value))
const bad = computed(() => seconds(written.value) === undefined && !(props.off && /^\s*(off)?\s*$/.test(written.value)))
watch(value, (now) => seconds(written.value) !== now && !bad.value && (written.value = said(now)))
function take(text_: string | number | null) {
  written.value = String(text_ ?? '')
  if (!bad.value) value.value = seconds(written.value) ?? null
}
</script>

<template>
  <BFormInput
    :model-value="written"
    size="sm"
    :aria-label="label"
    :state="bad ? false : null"
    :title="bad ? 'a duration such as 100 ms was expected' : ''"
    style="width: 90px"
    @update:model-value="take"
  />
</template>
