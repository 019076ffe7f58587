<script setup lang="ts">
defineProps<{ name: string }>()
const PATHS: Record<string, string> = {
  fleet: 'M2 5h20M2 12h20M2 19h20M9 2.5v5M16 9.5v5M6 16.5v5',
  findings: 'M4 20V9M10 20V4M16 20v-6M21 20H2M18.5 6.5a2.5 2.5 0 1 1 0 .01',
  handbook: 'M12 5c-2-1.6-5-2-8-1.6V19c3-.4 6 0 8 1.6 2-1.6 5-2 8-1.6V3.4C17 3 14 3.4 12 5zM12 5v15.6',
  server: 'M3 19a9 9 0 0 1 18 0M12 19l5-6M3 19h18M12 10V8M5.6 12.6l-1.2-1.2',
  ledger: 'M4 3h16v18H4zM8 7h8M8 11h8M8 15h5M6 3v18',
  holdups: 'M3 4h18M7 10h14M11 16h10M3 4v16M7 10v10M11 16v4',
  changes: 'M6 3v18M6 4h11l-3 3.5 3 3.5H6M2 21h20',
  log: 'M3 4h18v16H3zM6 8.5h2M11 8.5h7M6 12.5h2M11 12.5h5M6 16.5h2M11 16.5h7',
  now: 'M12 3a9 9 0 1 0 .01 0M12 12V6.5M12 12l4 2.5',
  compare: 'M12 2v20M3 6h6M5 11h4M2 16h7M15 6h6M15 11h3M15 16h7',
  strips: 'M2 6l4-2 4 3 4-3 4 2 4-2M2 13l4 1 4-3 4 3 4-2 4 1M2 20l4-2 4 1 4-3 4 3 4-1',
  statements: 'M3 5h11M3 10h18M3 15h8M3 20h14M18 3.5v3',
  plan: 'M2 4h20v4H2zM2 10h13v4H2zM2 16h7v4H2z',
  trials: 'M3 20h18M5 13h0M7 8h0M9 12h0M15 6h0M17 9h0M19 5h0M6 15v2M17 12v5M4 17h6M13 17h8',
  reports: 'M6 2h9l4 4v16H6zM15 2v4h4M9 11h7M9 15h7',
  setup: 'M4 6h9M17 6h3M4 12h3M11 12h9M4 18h9M17 18h3M15 4v4M9 10v4M15 16v4',
}
</script>

<template>
  <svg width="20" height="20" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="1.6" stroke-linecap="round" aria-hidden="true">
    <path :d="PATHS[name]" :stroke-width="name === 'trials' ? 2 : 1.6" />
  </svg>
</template>
