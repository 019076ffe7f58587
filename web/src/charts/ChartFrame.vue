<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import type { EChartsCoreOption } from 'echarts/core'
import { computed, ref } from 'vue'
import VChart from 'vue-echarts'
import './theme'

/** A chart with the same data as a table behind "figures", saved as SVG, PNG or CSV. */
const props = withDefaults(defineProps<{ option: EChartsCoreOption; title: string; columns: string[]; rows: (string | number | null)[][]; height?: number }>(), { height: 180 })
const figures = ref(false)
const holder = ref<HTMLElement>()
const file = computed(() => props.title.toLowerCase().replace(/[^a-z0-9]+/g, '-'))

function save(blob: Blob, ending: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = `${file.value}.${ending}`
  link.click()
  URL.revokeObjectURL(link.href)
}
function svgText() {
  const svg = holder.value!.querySelector('svg')!.cloneNode(true) as SVGElement
  svg.setAttribute('xmlns', 'http://www.w3.org/2000/svg')
  return new XMLSerializer().serializeToString(svg)
}
const quoted = (cell: string | number | null) => (cell === null ? '' : /[",\r\n]/.test(String(cell)) ? `"${String(cell).replaceAll('"', '""')}"` : String(cell))
function csv() {
  save(new Blob([[props.columns, ...props.rows].map((row) => row.map(quoted).join(',')).join('\r\n') + '\r\n'], { type: 'text/csv' }), 'csv')
}
const svg = () => save(new Blob([svgText()], { type: 'image/svg+xml' }), 'svg')
function png() {
  const image = new Image()
  const { width, height } = holder.value!.getBoundingClientRect()
  image.onload = () => {
    const canvas = document.createElement('canvas')
    ;[canvas.width, canvas.height] = [width * 2, height * 2]
    const context = canvas.getContext('2d')!
    context.fillStyle = getComputedStyle(document.documentElement).getPropertyValue('--sheet')
    context.fillRect(0, 0, canvas.width, canvas.height)
    context.scale(2, 2)
    context.drawImage(image, 0, 0)
    canvas.toBlob((blob) => blob && save(blob, 'png'))
  }
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svgText())}`
}
</script>

<template>
  <figure>
    <figcaption>
      <span>{{ title }}</span>
      <span class="tools">
        <BButton size="sm" variant="link" :aria-pressed="figures" @click="figures = !figures">{{ figures ? 'chart' : 'figures' }}</BButton>
        <BButton v-if="!figures" size="sm" variant="link" @click="svg">SVG</BButton>
        <BButton v-if="!figures" size="sm" variant="link" @click="png">PNG</BButton>
        <BButton size="sm" variant="link" @click="csv">CSV</BButton>
      </span>
    </figcaption>
    <div v-if="figures" class="table" :style="{ height: `${height}px` }" tabindex="0">
      <table class="ruled">
        <thead>
          <tr>
            <th v-for="(column, i) in columns" :key="column" :class="{ num: i > 0 }">{{ column }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(row, i) in rows" :key="i">
            <td v-for="(cell, j) in row" :key="j" :class="{ num: j > 0 }">{{ typeof cell === 'number' ? Number(cell.toPrecision(4)) : (cell ?? 'none') }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <div v-else ref="holder" role="img" :aria-label="title"><VChart :option="option" :init-options="{ renderer: 'svg' }" autoresize :style="{ height: `${height}px` }" /></div>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
figcaption {
  display: flex;
  justify-content: space-between;
  font-size: 12.5px;
  color: var(--faded);
  font-weight: 600;
}
.tools :deep(.btn) {
  padding: 0 5px;
  font-size: 11.5px;
  color: var(--petrol);
}
.table {
  overflow: auto;
}
</style>
