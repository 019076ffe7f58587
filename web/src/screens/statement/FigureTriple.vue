<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import FigureText from '@/parts/FigureText.vue'
import { times } from '@/state/units'

/** Figures per call, per row returned and per second, each with its reference where it has one. */
const props = defineProps<{ row: Schemas['StatementRow']; reference: string }>()
interface Line {
  words: string
  value: number | null
  unit: string
  reference?: number | null
}
const product = (figure: number | null, by: number) => (figure === null ? null : figure * by)
const groups = computed<{ title: string; lines: Line[] }[]>(() => {
  const r = props.row
  const rows = Math.max(r.rows_returned_per_call ?? 0, 1e-9)
  return [
    {
      title: 'per call',
      lines: [
        { words: 'time', value: r.time_per_call_s, unit: 's', reference: r.reference_time_per_call_s?.value ?? null },
        ...Object.entries(r.families)
          .sort((a, b) => b[1] - a[1])
          .slice(0, 3)
          .map(([name, seconds]) => ({ words: name, value: r.calls ? seconds / r.calls : null, unit: 's' })),
        { words: 'pages read', value: r.pages_read_per_call, unit: '' },
      ],
    },
    {
      title: 'per row returned',
      lines: [
        { words: 'rows examined', value: r.examined_per_row, unit: '', reference: r.reference_examined_per_row?.value ?? null },
        { words: 'time', value: product(r.time_per_call_s, 1 / rows), unit: 's' },
        { words: 'pages read', value: product(r.pages_read_per_call, 1 / rows), unit: '' },
      ],
    },
    {
      title: 'per second',
      lines: [
        { words: 'calls', value: r.calls_per_s, unit: '', reference: r.reference_calls_per_s?.value ?? null },
        {
          words: 'active sessions',
          value: product(r.time_per_call_s, r.calls_per_s),
          unit: '',
          reference: r.reference_calls_per_s && r.reference_time_per_call_s ? r.reference_calls_per_s.value * r.reference_time_per_call_s.value : null,
        },
        { words: 'rows examined', value: product(r.rows_examined_per_call, r.calls_per_s), unit: '' },
        { words: 'log written', value: product(r.log_bytes_per_call, r.calls_per_s), unit: 'B/s' },
      ],
    },
  ]
})
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
          <template v-if="line.reference !== undefined">
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
