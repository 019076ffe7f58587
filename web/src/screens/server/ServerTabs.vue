<script setup lang="ts">
import { SERVER_PARTS } from '@/app/routes'
import PartTabs from '@/parts/PartTabs.vue'
import { useWindow } from '@/state/window'

const w = useWindow()
</script>

<template>
  <PartTabs
    class="mb-2"
    label="Parts of the server"
    :parts="SERVER_PARTS.map((part) => ({ name: part.name, words: part.words, to: { name: part.name, params: { server: w.route.params.server }, query: w.kept.value } }))"
  />
</template>
