import { BarChart, LineChart } from 'echarts/charts'
import { AriaComponent, GridComponent, TooltipComponent } from 'echarts/components'
import { use } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'
import { computed } from 'vue'
import { theme } from '@/state/theme'

use([BarChart, LineChart, GridComponent, TooltipComponent, AriaComponent, SVGRenderer])

/** A token's value in the theme that is on. */
export const token = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim()

export const HATCH = { symbol: 'rect', dashArrayX: [1, 0], dashArrayY: [2, 4], rotation: -Math.PI / 4 }

/** Options that every chart shares; recomputed when the theme changes. */
export const paper = computed(() => {
  void theme.value
  const text = { color: token('--faded'), fontFamily: 'Figure Points, B612 Mono', fontSize: 10.5 }
  const line = { lineStyle: { color: token('--rule') } }
  return {
    animation: false,
    backgroundColor: 'transparent',
    textStyle: { fontFamily: 'Archivo Variable' },
    grid: { left: 46, right: 8, top: 10, bottom: 22 },
    tooltip: {
      trigger: 'axis' as const,
      confine: true,
      backgroundColor: token('--sheet'),
      borderColor: token('--rule-strong'),
      textStyle: { color: token('--ink'), fontSize: 12 },
    },
    time: {
      type: 'time' as const,
      axisLabel: { ...text, hideOverlap: true },
      axisLine: { lineStyle: { color: token('--rule-strong') } },
      splitLine: { show: false },
    },
    value: { type: 'value' as const, axisLabel: text, splitLine: line, splitNumber: 4, min: 0 },
  }
})
