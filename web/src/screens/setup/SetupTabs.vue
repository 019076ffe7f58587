<script setup lang="ts">
import { SETUP } from '@/app/routes'
import PartTabs from '@/parts/PartTabs.vue'
import { useWindow } from '@/state/window'

const w = useWindow()
</script>

<template>
  <PartTabs label="Parts of Setup" :parts="SETUP.map((part) => ({ name: `setup-${part.name}`, words: part.words, to: { name: `setup-${part.name}`, query: w.kept.value } }))" />
</template>
