<script setup lang="ts">
import { computed } from 'vue'
import { colourOf, isHatched } from '@/state/families'
import { share } from '@/state/units'

/** Columns by the share of one dimension, stacked by the share of another; area is time. */
interface Cell {
  row: string
  column: string
  active_sessions: number
  reference: number | null
}
const props = defineProps<{ cells: Cell[]; order: string[]; labels: Record<string, string>; by: string }>()
defineEmits<{ pick: [row: string, column: string] }>()
const MOST = 8

const total = computed(() => props.cells.reduce((sum, cell) => sum + cell.active_sessions, 0) || 1)
const columns = computed(() => {
  const sums = new Map<string, Cell[]>()
  for (const cell of props.cells) sums.set(cell.column, [...(sums.get(cell.column) ?? []), cell])
  const rows = [...sums].map(([key, cells]) => ({ key, cells, sum: cells.reduce((s, c) => s + c.active_sessions, 0) }))
  rows.sort((a, b) => b.sum - a.sum)
  const kept = rows.slice(0, MOST)
  return kept.map((column) => ({ ...column, cells: [...column.cells].sort((a, b) => props.order.indexOf(a.row) - props.order.indexOf(b.row)) }))
})
const hidden = computed(() => 1 - columns.value.reduce((sum, c) => sum + c.sum, 0) / total.value)
const name = (key: string) => props.labels[key] ?? key
</script>

<template>
  <div class="mosaic" role="group" :aria-label="`Mosaic of ${by} in ${columns.length} columns`">
    <div v-for="column in columns" :key="column.key" class="column" :style="{ flexGrow: column.sum / total }">
      <div class="stack">
        <button
          v-for="cell in column.cells"
          :key="cell.row"
          type="button"
          :class="{ hatched: isHatched(cell.row, order.indexOf(cell.row)) }"
          :style="{ flexGrow: (cell.active_sessions / column.sum) * 1000, backgroundColor: colourOf(cell.row, order.indexOf(cell.row)) }"
          :title="`${name(cell.row)}, ${name(column.key)}: ${cell.active_sessions.toFixed(3)} active sessions, ${share(cell.active_sessions / total)}${cell.reference === null ? '' : `; reference ${cell.reference.toFixed(3)}`}`"
          :aria-label="`${name(cell.row)}, ${name(column.key)}: ${cell.active_sessions.toFixed(3)} active sessions`"
          @click="$emit('pick', cell.row, column.key)"
        ></button>
      </div>
      <span class="label" :title="name(column.key)">{{ column.sum / total > 0.06 ? name(column.key) : '' }}</span>
      <span class="label figure">{{ column.sum / total > 0.06 ? share(column.sum / total) : '' }}</span>
    </div>
  </div>
  <p v-if="hidden > 0.001" class="faded mb-0">{{ share(hidden) }} lies in smaller columns.</p>
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
  flex-basis: 0;
  min-height: 1px;
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
