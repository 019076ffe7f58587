<script setup lang="ts">
import type { Schemas } from '@/api/client'
import SubjectLink from '@/parts/SubjectLink.vue'
import { clock, day } from '@/state/units'

/** What the log said, by shape: how often, last when, to whom, while which statement ran. */
defineProps<{ rows: Schemas['MessageRow'][]; server?: string }>()
</script>

<template>
  <div v-for="row in rows" :key="`${row.severity} ${row.code} ${row.shape}`" class="message" data-test="message">
    <span class="figure">{{ row.count }}×</span> <b v-if="row.severity !== 'info'" :class="{ act: row.severity === 'error' }">{{ row.severity }}</b> {{ row.shape }}
    <span class="faded"
      >{{ row.code }} last <span class="figure">{{ day(row.last_us) }} {{ clock(row.last_us) }}</span
      >{{ row.services.length ? `, ${row.services.join(', ')}` : '' }}</span
    >
    <SubjectLink v-if="row.fingerprint && server" kind="statement" :name="row.fingerprint" :server="server"
      ><code class="ran">{{ row.text }}</code></SubjectLink
    >
    <pre v-if="row.detail" class="detail">{{ row.detail }}</pre>
  </div>
</template>

<style scoped>
.message {
  padding: 2px 0;
  font-size: 13px;
}
.ran {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.detail {
  margin: 2px 0 0;
  font-size: 12px;
  white-space: pre-wrap;
}
</style>
