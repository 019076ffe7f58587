<script setup lang="ts">
import type { Schemas } from '@/api/client'
import RatioRule from '@/parts/RatioRule.vue'

/** What came out when both texts were run on made rows: which rows differ, the time, and what the rows were made of. */
defineProps<{ proof: Schemas['Proof'] }>()
const rowText = (row: readonly (string | null)[]) => row.map((one) => one ?? 'NULL').join(', ')
</script>

<template>
  <div data-test="proof">
    <h2 class="part"><span>Proof on made rows</span></h2>
    <div v-if="proof.ratio" class="takes mb-2">
      <span>The new text's time</span>
      <span class="faded">an eighth</span>
      <RatioRule :ratio="proof.ratio.ratio" :low="proof.ratio.low" :high="proof.ratio.high" :shown="proof.ratio.low > 1 || proof.ratio.high < 1" :width="420" :end="8" />
      <span class="faded">eight times</span>
      <span class="figure">{{ proof.ratio.ratio.toPrecision(3) }}× ({{ proof.ratio.low.toPrecision(3) }} to {{ proof.ratio.high.toPrecision(3) }})</span>
    </div>
    <table v-if="proof.differences.length" class="ruled mb-2" data-test="differences">
      <thead>
        <tr>
          <th>called with</th>
          <th class="num rows">rows, old</th>
          <th class="num rows">rows, new</th>
          <th>more often in the old</th>
          <th>more often in the new</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(one, at) in proof.differences" :key="at">
          <td>
            <code>{{ one.values.length ? one.values.map((v) => v ?? 'NULL').join(', ') : 'no values' }}</code>
          </td>
          <td class="num">{{ one.compared.first_rows.toLocaleString('en') }}</td>
          <td class="num">{{ one.compared.second_rows.toLocaleString('en') }}</td>
          <td v-for="(some, side) in [one.compared.only_first, one.compared.only_second]" :key="side">
            <div v-for="two in some" :key="rowText(two.row)">
              <code>{{ rowText(two.row) }}</code><span v-if="two.more > 1" class="faded"> {{ two.more }} times</span>
            </div>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-for="one in [proof.basis, ...proof.cautions]" :key="one" class="faded small-words mb-0">{{ one }}</p>
  </div>
</template>

<style scoped>
.takes {
  display: flex;
  gap: 10px;
  align-items: center;
  font-size: 13px;
}
.rows {
  width: 92px;
}
.small-words {
  font-size: 12.5px;
}
</style>
