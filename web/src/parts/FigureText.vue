<script setup lang="ts">
import { computed } from 'vue'
import { said } from '@/state/units'

const props = defineProps<{ value: number | null | undefined; unit: string; missing?: string }>()
const one = computed(() => ((props.value ?? null) === null && props.missing ? { figure: props.missing, unit: '' } : said(props.value, props.unit)))
</script>

<template>
  <span class="figure"
    >{{ one.figure
    }}<template v-if="one.unit"
      >&nbsp;<span class="unit">{{ one.unit }}</span></template
    ></span
  >
</template>
