<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { useWindow } from '@/state/window'

/** What checks find of a statement: what was seen, why it matters, what to do; the most pressing first. */
defineProps<{ rows: readonly Schemas['CheckRow'][] }>()
const w = useWindow()
</script>

<template>
  <table class="ruled" data-test="checks">
    <thead>
      <tr>
        <th class="of">of its</th>
        <th class="grade">grade</th>
        <th>what was seen</th>
        <th>what to do</th>
        <th class="num sure">sure</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in rows" :key="one.name + one.seen">
        <td>{{ one.about }}</td>
        <td :class="{ act: one.grade === 'act', faded: one.grade === 'note' }">{{ one.grade }}</td>
        <td>
          <RouterLink :to="{ name: 'handbook', query: { ...w.kept.value, open: `check/${one.name}` } }">{{ one.title }}</RouterLink>: {{ one.seen }}. <span class="faded">{{ one.why }}</span>
        </td>
        <td>
          {{ one.remedy }} <span class="faded">{{ one.safe }}</span>
        </td>
        <td class="num">{{ Math.round(one.sure * 100) }}%</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.of {
  width: 64px;
}
.grade {
  width: 56px;
}
.sure {
  width: 54px;
}
td {
  vertical-align: top;
}
</style>
