<script setup lang="ts" generic="Row extends { fingerprint: string }">
import { BDropdown, BFormCheckbox } from 'bootstrap-vue-next'
import { computed, onMounted, onUnmounted, ref } from 'vue'
import CellBar from './CellBar.vue'
import FigureText from './FigureText.vue'
import { times } from '@/state/units'

export interface Column<R> {
  key: string
  title: string
  unit?: string
  value: (row: R) => number | string | null
  reference?: (row: R) => number | null
  bar?: boolean
  wide?: boolean
}

/** A table that sorts, chooses its columns, keeps the choice, and draws only the rows in sight. */
const props = defineProps<{ rows: Row[]; columns: Column<Row>[]; first: string[]; name: string; sort: string; to: (row: Row) => object }>()
const emit = defineEmits<{ sort: [string]; open: [Row] }>()
const ROW = 29
const KEPT = `hardy-gauge-columns-${props.name}`

const chosen = ref<string[]>(JSON.parse(localStorage.getItem(KEPT) ?? 'null') ?? props.first)
const shown = computed(() => props.columns.filter((column) => column.wide || chosen.value.includes(column.key)))
function choose(key: string, on: boolean) {
  chosen.value = on ? [...chosen.value, key] : chosen.value.filter((one) => one !== key)
  localStorage.setItem(KEPT, JSON.stringify(chosen.value))
}
const down = computed(() => !props.sort.startsWith('-up.'))
const key = computed(() => props.sort.replace('-up.', ''))
const ordered = computed(() => {
  const column = props.columns.find((one) => one.key === key.value) ?? props.columns[0]
  const sign = down.value ? -1 : 1
  return [...props.rows].sort((a, b) => {
    const [x, y] = [column.value(a), column.value(b)]
    if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1
    return sign * (typeof x === 'number' ? x - (y as number) : String(x).localeCompare(String(y)))
  })
})
const highest = computed(() => Object.fromEntries(shown.value.filter((c) => c.bar).map((c) => [c.key, Math.max(...props.rows.map((row) => Number(c.value(row) ?? 0)))])))

const holder = ref<HTMLElement>()
const top = ref(0)
const height = ref(600)
const observer = new ResizeObserver(([entry]) => (height.value = entry.contentRect.height))
onMounted(() => observer.observe(holder.value!))
onUnmounted(() => observer.disconnect())
const from = computed(() => Math.max(0, Math.floor(top.value / ROW) - 10))
const sight = computed(() => ordered.value.slice(from.value, from.value + Math.ceil(height.value / ROW) + 20))
const after = computed(() => Math.max(0, (ordered.value.length - from.value - sight.value.length) * ROW))
const figure = (value: number | string | null) => (typeof value === 'number' ? value : null)
const turn = (column: Column<Row>) => emit('sort', key.value === column.key && down.value ? `-up.${column.key}` : column.key)
</script>

<template>
  <div class="bar-line">
    <slot />
    <BDropdown text="Columns" size="sm" variant="outline-secondary" auto-close="outside">
      <div class="choose"><BFormCheckbox v-for="column in columns.filter((c) => !c.wide)" :key="column.key" :model-value="chosen.includes(column.key)" @update:model-value="(on) => choose(column.key, !!on)">{{ column.title }}</BFormCheckbox></div>
    </BDropdown>
  </div>
  <div ref="holder" class="holder" tabindex="0" @scroll="top = ($event.target as HTMLElement).scrollTop">
    <table class="ruled">
      <thead>
        <tr>
          <th v-for="column in shown" :key="column.key" :class="{ num: !column.wide && column.unit !== undefined, wide: column.wide }" :aria-sort="key === column.key ? (down ? 'descending' : 'ascending') : 'none'">
            <button type="button" @click="turn(column)">{{ column.title }}<span v-if="key === column.key" aria-hidden="true">{{ down ? ' ▾' : ' ▴' }}</span></button>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-if="from" :style="{ height: `${from * ROW}px` }" aria-hidden="true"></tr>
        <tr v-for="row in sight" :key="row.fingerprint" class="link" :style="{ height: `${ROW}px` }" :data-row="row.fingerprint" @click="$emit('open', row)">
          <td v-for="column in shown" :key="column.key" :class="{ num: !column.wide && column.unit !== undefined, clip: column.wide }">
            <RouterLink v-if="column.wide" class="sql" :to="to(row)" :title="String(column.value(row))" @click.stop>{{ column.value(row) }}</RouterLink>
            <CellBar v-else-if="column.bar" :value="Number(column.value(row))" :max="highest[column.key]" :reference="column.reference?.(row)"><FigureText :value="figure(column.value(row))" :unit="column.unit ?? ''" /></CellBar>
            <template v-else-if="column.unit !== undefined"><FigureText :value="figure(column.value(row))" :unit="column.unit" missing="not told" /><span v-if="column.reference" class="unit times">{{ times(Number(column.value(row)), column.reference(row)) }}</span></template>
            <template v-else>{{ column.value(row) }}</template>
          </td>
        </tr>
        <tr v-if="after" :style="{ height: `${after}px` }" aria-hidden="true"></tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.bar-line { display: flex; gap: 14px; align-items: center; margin-bottom: 6px; font-size: 13px; }
.bar-line > :last-child { margin-left: auto; }
.choose { padding: 6px 12px; column-count: 2; width: 380px; }
.holder { overflow: auto; flex: 1; min-height: 0; }
th button { border: 0; background: none; padding: 0; font: inherit; color: inherit; }
.wide { min-width: 300px; width: 100%; }
td { white-space: nowrap; }
.times { display: inline-block; min-width: 56px; padding-left: 8px; text-align: right; }
</style>
