<script setup lang="ts">
import { BButton } from 'bootstrap-vue-next'
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { useCopy } from '@/state/copy'

/** What a server reports, and for the rest why not and what to do there. */
const props = defineProps<{ reports: Schemas['Report'][]; script: string }>()
const { copied, copy } = useCopy(() => props.script)
const lacking = computed(() => props.reports.filter((one) => !one.reported))
const reported = computed(() => props.reports.filter((one) => one.reported))
</script>

<template>
  <div class="reports">
    <p v-if="reported.length" class="mb-1"><b>It reports</b> {{ reported.map((one) => one.what).join('; ') }}.</p>
    <template v-if="lacking.length">
      <p class="mb-1">
        <b>It does not report</b>
        <BButton v-if="script" class="ms-3" size="sm" variant="outline-secondary" data-test="copy-script" @click="copy">{{ copied ? 'Copied' : 'Copy the commands as one script' }}</BButton>
      </p>
      <dl>
        <template v-for="one in lacking" :key="one.what">
          <dt>{{ one.what }}</dt>
          <dd>
            {{ one.why || 'not in its protocol' }}
            <pre v-if="one.remedy" class="sql">{{ one.remedy }}</pre>
          </dd>
        </template>
      </dl>
    </template>
  </div>
</template>

<style scoped>
.reports {
  font-size: 13px;
  max-width: 1000px;
}
dl {
  display: grid;
  grid-template-columns: 260px minmax(0, 1fr);
  gap: 4px 16px;
  margin: 0;
}
dt {
  font-weight: 400;
}
dd {
  margin: 0;
  border-bottom: 1px solid var(--rule);
  padding-bottom: 4px;
}
pre {
  margin: 3px 0 0;
  white-space: pre-wrap;
}
</style>
