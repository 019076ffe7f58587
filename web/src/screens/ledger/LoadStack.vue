<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import StackChart from '@/charts/StackChart.vue'
import { isHatched, tokenOf } from '@/state/families'

const props = withDefaults(defineProps<{ ledger: Schemas['Ledger']; title: string; height?: number; order?: string[] }>(), { height: 190, order: () => [] })
const keys = computed(() => (props.order.length ? props.order : Object.keys(props.ledger.stack.series)))
const place = (key: string) => Math.max(0, keys.value.indexOf(key))
</script>

<template>
  <StackChart
    :stack="ledger.stack"
    :title="title"
    :height="height"
    :name-of="(key) => ledger.labels[key] ?? key"
    :token-of="(key) => tokenOf(key, place(key))"
    :hatched="(key) => isHatched(key, place(key))"
  />
</template>
