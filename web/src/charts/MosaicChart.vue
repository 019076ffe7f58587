<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { colourOf, isHatched } from '@/state/families'
import { share } from '@/state/units'

/** Columns by the share of one dimension, stacked by the share of another; area is time. */
const props = defineProps<{ mosaic: Schemas['Mosaic']; order: string[]; labels: Record<string, string>; by: string }>()
defineEmits<{ pick: [row: string, column: string] }>()
const LABELLED = 0.06 // of the width: a narrower column has no room for its name

const columns = computed(() => props.mosaic.columns.map((column) => ({ ...column, cells: [...column.cells].sort((a, b) => props.order.indexOf(a.row) - props.order.indexOf(b.row)) })))
const name = (key: string) => props.labels[key] ?? key
</script>

<template>
  <div class="mosaic" role="group" :aria-label="`Mosaic of ${by} in ${columns.length} columns`">
    <div v-for="column in columns" :key="column.key" class="column" :style="{ flexGrow: column.share }">
      <div class="stack">
        <button
          v-for="cell in column.cells"
          :key="cell.row"
          type="button"
          :class="{ hatched: isHatched(cell.row, order.indexOf(cell.row)) }"
          :style="{ flexGrow: (cell.active_sessions / column.active_sessions) * 1000, backgroundColor: colourOf(cell.row, order.indexOf(cell.row)) }"
          :title="`${name(cell.row)}, ${name(column.key)}: ${cell.active_sessions.toFixed(3)} active sessions, ${share((cell.active_sessions / column.active_sessions) * column.share)}${cell.reference === null ? '' : `; reference ${cell.reference.toFixed(3)}`}`"
          :aria-label="`${name(cell.row)}, ${name(column.key)}: ${cell.active_sessions.toFixed(3)} active sessions`"
          @click="$emit('pick', cell.row, column.key)"
        >
          <span
            v-for="part in cell.parts"
            :key="part.key"
            class="part"
            :style="{ flexGrow: (part.active_sessions / cell.active_sessions) * 1000 }"
            :title="`${name(cell.row)}, ${name(column.key)}, ${name(part.key)}: ${part.active_sessions.toFixed(3)}`"
          ></span>
        </button>
      </div>
      <span class="label" :title="name(column.key)">{{ column.share > LABELLED ? name(column.key) : '' }}</span>
      <span class="label figure">{{ column.share > LABELLED ? share(column.share) : '' }}</span>
    </div>
  </div>
  <p v-if="mosaic.rest" class="faded mb-0">{{ mosaic.rest }}</p>
</template>

<style scoped>
.mosaic {
  display: flex;
  gap: 2px;
  height: 212px;
}
.column {
  display: flex;
  flex-direction: column;
  flex-basis: 0;
  min-width: 3px;
  overflow: hidden;
}
.stack {
  display: flex;
  flex-direction: column-reverse;
  flex: 1;
  gap: 1px;
}
button {
  border: 0;
  padding: 0;
  display: flex;
  flex-basis: 0;
  min-height: 1px;
}
.part {
  flex-basis: 0;
}
.part + .part {
  border-left: 1px solid var(--sheet);
}
button:hover {
  outline: 2px solid var(--brass);
  outline-offset: -2px;
}
.label {
  font-size: 11px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  height: 16px;
  color: var(--faded);
}
</style>
