<script setup lang="ts" generic="Row extends object">
import { BDropdown, BFormCheckbox } from 'bootstrap-vue-next'
import { computed, nextTick, onMounted, onUnmounted, ref } from 'vue'
import CellBar from './CellBar.vue'
import FigureText from './FigureText.vue'
import { inSight, ordered, sortOf, textOfSort, type Column } from './table'
import { times } from '@/state/units'

/**
 * The one table: sorts, chooses its columns (with `name`, under which the choice is kept), is walked with the arrow keys,
 * opens a row with Enter, and with `fill` draws only the rows in sight.
 */
const props = defineProps<{
  rows: readonly Row[]
  columns: readonly Column<Row>[]
  rowKey: (row: Row) => string | number
  name?: string
  first?: string[]
  sort?: string
  opens?: boolean
  chosen?: string | number | null
  marked?: (row: Row) => string
  expanded?: (row: Row) => boolean
  fill?: boolean
}>()
const emit = defineEmits<{ sort: [string]; open: [Row] }>()
const ROW = 29
const KEPT = `hardy-gauge-columns-${props.name}`

const selected = ref<string[]>(JSON.parse((props.name && localStorage.getItem(KEPT)) || 'null') ?? props.first ?? props.columns.map((one) => one.key))
const shown = computed(() => (props.name ? props.columns.filter((one) => one.wide || selected.value.includes(one.key)) : props.columns))
function select(key: string, on: boolean) {
  selected.value = on ? [...selected.value, key] : selected.value.filter((one) => one !== key)
  localStorage.setItem(KEPT, JSON.stringify(selected.value))
}
const own = ref<string | null>(null)
const order = computed(() => (props.sort ?? own.value) || null)
const sorting = computed(() => (order.value === null ? null : sortOf(order.value)))
const sorted = computed(() => ordered(props.rows, props.columns, sorting.value))
function turn(column: Column<Row>) {
  const down = sorting.value?.key === column.key ? !sorting.value.down : column.unit !== undefined
  const text = textOfSort({ key: column.key, down })
  own.value = text
  emit('sort', text)
}
const state = (column: Column<Row>) => (sorting.value?.key !== column.key ? 'none' : sorting.value.down ? 'descending' : 'ascending')
const highest = computed(() => Object.fromEntries(shown.value.filter((one) => one.bar).map((one) => [one.key, Math.max(...props.rows.map((row) => Number(one.value?.(row) ?? 0)))])))

const holder = ref<HTMLElement>()
const top = ref(0)
const height = ref(600)
const observer = new ResizeObserver(([entry]) => (height.value = entry?.contentRect.height ?? height.value))
onMounted(() => holder.value && observer.observe(holder.value))
onUnmounted(() => observer.disconnect())
const sight = computed(() => (props.fill ? inSight(sorted.value.length, ROW, top.value, height.value) : { from: 0, to: sorted.value.length, before: 0, after: 0 }))
const drawn = computed(() => sorted.value.slice(sight.value.from, sight.value.to))

const at = ref(0)
async function walk(event: KeyboardEvent, row: Row) {
  const here = sorted.value.indexOf(row)
  const steps: Record<string, number> = { ArrowDown: here + 1, ArrowUp: here - 1, Home: 0, End: sorted.value.length - 1, PageDown: here + 10, PageUp: here - 10 }
  if (event.target !== event.currentTarget) return
  if (event.key === 'Enter' && props.opens) return emit('open', row)
  const to = steps[event.key]
  if (to === undefined) return
  event.preventDefault()
  at.value = Math.max(0, Math.min(sorted.value.length - 1, to))
  if (props.fill && holder.value && (at.value < sight.value.from + 10 || at.value > sight.value.to - 12)) holder.value.scrollTop = (at.value - 5) * ROW
  await nextTick()
  holder.value?.querySelector<HTMLElement>(`[data-at="${at.value}"]`)?.focus()
}
const figure = (value: number | string | null | undefined) => (typeof value === 'number' ? value : null)
</script>

<template>
  <div v-if="name || $slots.default" class="bar-line">
    <slot />
    <BDropdown v-if="name" text="Columns" size="sm" variant="outline-secondary" auto-close="outside">
      <div class="choose">
        <BFormCheckbox v-for="column in columns.filter((one) => !one.wide)" :key="column.key" :model-value="selected.includes(column.key)" @update:model-value="(on) => select(column.key, !!on)">{{
          column.title
        }}</BFormCheckbox>
      </div>
    </BDropdown>
  </div>
  <div ref="holder" :class="{ holder: fill }" @scroll="top = ($event.target as HTMLElement).scrollTop">
    <table class="ruled" :class="{ fixed: columns.some((one) => one.width) }">
      <thead>
        <tr>
          <th
            v-for="column in shown"
            :key="column.key"
            :class="{ num: column.unit !== undefined, wide: column.wide && fill }"
            :style="{ width: column.width }"
            :aria-sort="column.value ? state(column) : undefined"
          >
            <button v-if="column.value && column.title" type="button" @click="turn(column)">
              {{ column.title }}<span v-if="state(column) !== 'none'" aria-hidden="true">{{ state(column) === 'descending' ? ' ▾' : ' ▴' }}</span>
            </button>
            <template v-else>{{ column.title }}</template>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-if="sight.before" :style="{ height: `${sight.before}px` }" aria-hidden="true"></tr>
        <template v-for="(row, i) in drawn" :key="rowKey(row)">
          <tr
            :class="[{ link: opens, chosen: chosen === rowKey(row) }, marked?.(row)]"
            :style="fill ? { height: `${ROW}px` } : undefined"
            :tabindex="sight.from + i === Math.min(at, sorted.length - 1) ? 0 : -1"
            :data-at="sight.from + i"
            :data-row="rowKey(row)"
            @click="opens && emit('open', row)"
            @keydown="walk($event, row)"
            @focus="at = sight.from + i"
          >
            <td v-for="column in shown" :key="column.key" :class="{ num: column.unit !== undefined, clip: column.wide, nowrap: fill }">
              <slot :name="column.key" :row="row" :value="column.value?.(row)">
                <CellBar v-if="column.bar" :value="Number(column.value?.(row) ?? 0)" :max="highest[column.key] ?? 1" :reference="column.reference?.(row)"
                  ><FigureText :value="figure(column.value?.(row))" :unit="column.unit ?? ''"
                /></CellBar>
                <template v-else-if="column.unit !== undefined"
                  ><FigureText :value="figure(column.value?.(row))" :unit="column.unit" :missing="column.missing ?? 'not reported'" /><span v-if="column.reference" class="unit times">{{
                    times(figure(column.value?.(row)), column.reference(row))
                  }}</span></template
                >
                <span v-else :class="{ sql: column.code }" :title="column.wide ? String(column.value?.(row) ?? '') : undefined">{{ column.value?.(row) }}</span>
              </slot>
            </td>
          </tr>
          <tr v-if="expanded?.(row)">
            <td :colspan="shown.length" class="below"><slot name="below" :row="row" /></td>
          </tr>
        </template>
        <tr v-if="sight.after" :style="{ height: `${sight.after}px` }" aria-hidden="true"></tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.bar-line {
  display: flex;
  gap: 14px;
  align-items: center;
  margin-bottom: 6px;
  font-size: 13px;
}
.bar-line > :last-child:not(:only-child) {
  margin-left: auto;
}
.choose {
  padding: 6px 12px;
  column-count: 2;
  width: 380px;
}
.holder {
  overflow: auto;
  flex: 1;
  min-height: 0;
}
.fixed {
  table-layout: fixed;
}
th button {
  border: 0;
  background: none;
  padding: 0;
  font: inherit;
  color: inherit;
}
th.wide {
  min-width: 300px;
  width: 100%;
}
.nowrap {
  white-space: nowrap;
}
.times {
  display: inline-block;
  min-width: 56px;
  padding-left: 8px;
  text-align: right;
}
tr:focus-visible {
  outline: 2px solid var(--brass);
  outline-offset: -2px;
}
.below {
  padding-left: 24px !important;
}
</style>
