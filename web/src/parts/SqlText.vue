<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'

/** A statement set as text; predicates underlined by what can serve them. */
const props = withDefaults(defineProps<{ sql: string; predicates?: Schemas['Predicate'][] }>(), { predicates: () => [] })
const BREAKS = /\s+(?=(?:FROM|WHERE|AND|OR|ORDER BY|GROUP BY|LIMIT|SET|VALUES|JOIN|LEFT JOIN)\b)/gi
const KEYWORD = /\b(SELECT|FROM|WHERE|AND|OR|ORDER BY|GROUP BY|LIMIT|JOIN|LEFT|ON|INSERT INTO|VALUES|UPDATE|SET|DELETE|IS|NULL|NOT|IN|BETWEEN|AS)\b/gi

interface Part {
  text: string
  mark?: Schemas['Predicate']
}

const loose = (sql: string) =>
  sql
    .replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
    .replace(/\$\d+/g, '$')
    .replace(/\\\$\d*/g, '\\$\\d+')
    .replace(/\s+/g, '\\s+')

const parts = computed<Part[]>(() => {
  let rest: Part[] = [{ text: props.sql.trim().replace(BREAKS, '\n') }]
  for (const mark of props.predicates) {
    const pattern = new RegExp(loose(mark.text), 'i')
    rest = rest.flatMap((part) => {
      const found = part.mark ? null : pattern.exec(part.text)
      if (!found) return [part]
      const after = found.index + found[0].length
      return [{ text: part.text.slice(0, found.index) }, { text: found[0], mark }, { text: part.text.slice(after) }]
    })
  }
  return rest.filter((part) => part.text)
})
const words = (text: string) => text.split(KEYWORD).map((piece, i) => ({ piece, keyword: i % 2 === 1 }))
</script>

<template>
  <pre
    class="sql"
  ><template v-for="(part, i) in parts" :key="i"><span v-if="part.mark" :class="['predicate', part.mark.served]" :title="part.mark.why" tabindex="0">{{ part.text }}</span><template v-else><template v-for="(word, j) in words(part.text)" :key="j"><b v-if="word.keyword">{{ word.piece }}</b><template v-else>{{ word.piece }}</template></template></template></template></pre>
</template>

<style scoped>
pre {
  margin: 0;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  line-height: 1.55;
}
b {
  font-weight: 700;
  color: var(--faded);
}
.predicate {
  text-decoration: underline;
  text-decoration-thickness: 2px;
  text-underline-offset: 3px;
}
.index {
  text-decoration-style: solid;
  text-decoration-color: var(--fine);
}
.could {
  text-decoration-style: dashed;
  text-decoration-color: var(--act);
}
.cannot {
  text-decoration-style: dotted;
  text-decoration-color: var(--faded);
}
</style>
