<script setup lang="ts">
import { BButton, BFormInput, BFormTextarea } from 'bootstrap-vue-next'
import { parameterOf, parameterWords, valuesOf, type Statement } from './design'

/** The statements that are played, each with how often it comes and from where its values are drawn. */
const statements = defineModel<Statement[]>({ required: true })
const editable = (one: Statement) => !one.steps?.length

function write(one: Statement, sql: string) {
  one.sql = sql
  delete one.values_of
  const many = valuesOf(sql)
  one.parameters = Array.from({ length: many }, (_, place) => one.parameters?.[place] ?? { low: 1, high: 1000 })
}
function draw(one: Statement, place: number, words: string) {
  const { skew } = one.parameters?.[place] ?? {}
  one.parameters = (one.parameters ?? []).map((old, at) => (at === place ? { ...parameterOf(words), ...(skew ? { skew } : {}) } : old))
}
/** Instead of the values that were recorded: numbers, to be written anew. */
function otherwise(one: Statement) {
  write(one, one.sql)
}
const add = () => statements.value.push({ sql: 'SELECT 1', weight: 1, parameters: [] })
const remove = (place: number) => statements.value.splice(place, 1)
</script>

<template>
  <div>
    <div v-for="(one, i) in statements" :key="i" class="statement">
      <span class="faded figure">{{ i }}</span>
      <div>
        <BFormTextarea
          v-if="editable(one)"
          :model-value="one.sql"
          size="sm"
          class="sql"
          :rows="Math.min(6, Math.ceil(one.sql.length / 90) + one.sql.split('\n').length - 1)"
          :aria-label="`Statement ${i}`"
          :data-test="`statement-${i}`"
          @update:model-value="(sql) => write(one, String(sql))"
        />
        <p v-else class="sql mb-0">{{ one.name }}: {{ one.sql }}</p>
        <p v-if="one.values_of" class="faded mb-0 mt-1">
          values of its executions recorded on {{ one.values_of.server }}
          <BButton size="sm" variant="link" class="p-0 ms-2" @click="otherwise(one)">draw others</BButton>
        </p>
        <div v-for="(parameter, place) in editable(one) ? (one.parameters ?? []) : []" :key="place" class="value">
          <span class="faded">value {{ place + 1 }} from</span>
          <BFormInput
            :model-value="parameterWords(parameter)"
            size="sm"
            :model-modifiers="{ lazy: true }"
            :aria-label="`Value ${place + 1} of statement ${i}`"
            :data-test="`value-${i}-${place}`"
            @update:model-value="(words) => draw(one, place, String(words))"
          />
        </div>
      </div>
      <div class="value"><span class="faded">weight</span><BFormInput v-model.number="one.weight" type="number" min="0" step="any" size="sm" :aria-label="`Weight of statement ${i}`" /></div>
      <BButton v-if="statements.length > 1" size="sm" variant="link" @click="remove(i)">remove</BButton>
    </div>
    <BButton size="sm" variant="link" data-test="add-statement" @click="add">add a statement</BButton>
  </div>
</template>

<style scoped>
.statement {
  display: grid;
  grid-template-columns: 16px 1fr 130px 70px;
  gap: 10px;
  align-items: start;
  border-bottom: 1px solid var(--rule);
  padding: 5px 0;
}
.value {
  display: flex;
  gap: 8px;
  align-items: center;
  white-space: nowrap;
  margin-top: 4px;
}
</style>
