<script setup lang="ts">
/** What is set on a screen as the file and the command that set the same. */
defineProps<{ yaml: string; command: string }>()
</script>

<template>
  <details class="same" data-test="same-as-file">
    <summary>
      The same as a file: <code>{{ command }}</code>
    </summary>
    <pre class="mb-0 mt-1" tabindex="0">{{ yaml }}</pre>
  </details>
</template>

<style scoped>
.same summary {
  color: var(--faded);
  font-size: 13px;
}
.same pre {
  border-left: 2px solid var(--rule);
  padding-left: 10px;
  max-height: 220px;
  overflow: auto;
}
</style>
