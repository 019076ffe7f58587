<script setup lang="ts">
import type { Schemas } from '@/api/client'
import SubjectLink from '@/parts/SubjectLink.vue'

/** Trials that came of the same first one, each with what it changed and what that brought. */
defineProps<{ line: Schemas['LineStep'][]; trial: number }>()
</script>

<template>
  <section data-test="line">
    <h2 class="part mt-3"><span>This line of trials</span></h2>
    <table class="ruled">
      <tbody>
        <tr v-for="one in line" :key="one.id" :class="{ here: one.id === trial }">
          <td class="number">{{ one.id }}</td>
          <td>
            <SubjectLink kind="trial" :name="String(one.id)">{{ one.title }}</SubjectLink>
            <span v-if="one.follows !== null" class="faded"> of {{ one.follows }}</span>
            <p v-for="changed in one.changed" :key="changed" class="faded mb-0">{{ changed }}</p>
          </td>
          <td class="outcome">{{ one.state === 'finished' ? one.sentence : [one.state, one.sentence].filter(Boolean).join(': ') }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.number {
  width: 40px;
  vertical-align: top;
}
.outcome {
  width: 55%;
  vertical-align: top;
}
.here {
  font-weight: 600;
}
.here .faded {
  font-weight: 400;
}
</style>
