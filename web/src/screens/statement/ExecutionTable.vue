<script setup lang="ts">
import type { Schemas } from '@/api/client'
import FigureText from '@/parts/FigureText.vue'
import { clock } from '@/state/units'

defineProps<{ executions: Schemas['ExecutionRow'][]; inAll: number }>()
</script>

<template>
  <section>
    <h2 class="part"><span>Executions above the capture threshold</span><span>{{ executions.length }} of {{ inAll.toLocaleString('en-GB') }}</span></h2>
    <div class="holder" tabindex="0">
      <table class="ruled">
        <thead><tr><th>ended</th><th>server</th><th class="num">took</th><th class="num">examined</th><th class="num">returned</th><th class="num">pages read</th><th>user</th></tr></thead>
        <tbody>
          <template v-for="(e, i) in executions" :key="i">
            <tr>
              <td class="figure">{{ clock(e.ended_at_us, true) }}</td>
              <td>{{ e.server }}</td>
              <td class="num"><FigureText :value="e.duration_s" unit="s" /></td>
              <td class="num"><FigureText :value="e.rows_examined" unit="" /></td>
              <td class="num"><FigureText :value="e.rows_returned" unit="" /></td>
              <td class="num"><FigureText :value="e.pages_read" unit="" /></td>
              <td>{{ e.user }}</td>
            </tr>
            <tr v-if="e.text"><td colspan="7" class="sql text">{{ e.text }}</td></tr>
          </template>
        </tbody>
      </table>
      <p v-if="!executions.length" class="faded">None that took as long was recorded in this window.</p>
    </div>
  </section>
</template>

<style scoped>
.holder { max-height: 250px; overflow: auto; }
.text { overflow-wrap: anywhere; }
</style>
