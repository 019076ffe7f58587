<script setup lang="ts">
import type { Schemas } from '@/api/client'
import FigureText from '@/parts/FigureText.vue'
import { times } from '@/state/units'

/** Figures per call, per row returned and per second, each with its reference where it has one. */
defineProps<{ groups: Schemas['FigureGroup'][]; reference: string }>()
</script>

<template>
  <div class="groups">
    <section v-for="group in groups" :key="group.title">
      <h2 class="part">
        <span>{{ group.title }}</span>
      </h2>
      <dl>
        <template v-for="line in group.lines" :key="line.words">
          <dt>{{ line.words }}</dt>
          <dd><FigureText :value="line.value" :unit="line.unit" missing="not reported" /></dd>
          <template v-if="line.reference !== null && line.reference !== undefined">
            <dt class="faded sub">{{ reference }}</dt>
            <dd class="sub">
              <FigureText :value="line.reference" :unit="line.unit" /> <b>{{ line.value === null ? '' : times(line.value, line.reference) }}</b>
            </dd>
          </template>
        </template>
      </dl>
    </section>
  </div>
</template>

<style scoped>
.groups {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 18px;
  font-size: 13px;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 2px 8px;
  margin: 0;
}
dt {
  font-weight: 400;
}
dd {
  margin: 0;
  text-align: right;
}
.sub {
  font-size: 12px;
  color: var(--faded);
  border-bottom: 1px solid var(--rule);
  padding-bottom: 2px;
}
b {
  color: var(--ink);
}
</style>
