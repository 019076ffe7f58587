<script setup lang="ts">
import { computed } from 'vue'
import { colourOf, FAMILIES, isHatched } from '@/state/families'

/** Active sessions of each arm by wait family, on one scale. */
const props = defineProps<{ arms: { arm: string; active_sessions: Record<string, number> }[]; totals: Record<string, number> }>()
const most = computed(() => Math.max(...Object.values(props.totals), 1e-9))
const known = computed(() => Object.keys(props.totals).length > 0)
const present = (arm: (typeof props.arms)[number]) => FAMILIES.filter((family) => arm.active_sessions[family] > 0)
</script>

<template>
  <h2 class="part"><span>Time by wait family, active sessions</span></h2>
  <p v-if="!known" class="faded mb-1">This target does not report what its sessions wait for.</p>
  <div v-for="arm in known ? arms : []" :key="arm.arm" class="arm">
    <span>{{ arm.arm }}</span>
    <span class="bar">
      <span
        v-for="family in present(arm)"
        :key="family"
        :class="{ hatched: isHatched(family, 0) }"
        :style="{ width: `${(arm.active_sessions[family] / most) * 100}%`, backgroundColor: colourOf(family, 0) }"
        :title="`${family}: ${arm.active_sessions[family].toFixed(3)}`"
      ></span>
    </span>
    <span class="figure">{{ totals[arm.arm]?.toFixed(2) }}</span>
  </div>
  <p v-if="known" class="legend">
    <span v-for="family in FAMILIES.filter((f) => arms.some((arm) => arm.active_sessions[f] / most > 0.005))" :key="family"><i :style="{ background: colourOf(family, 0) }"></i>{{ family }}</span>
  </p>
</template>

<style scoped>
.arm {
  display: grid;
  grid-template-columns: 84px 1fr 48px;
  gap: 8px;
  align-items: center;
  margin-bottom: 3px;
}
.bar {
  display: flex;
  height: 16px;
}
.legend {
  display: flex;
  gap: 12px;
  font-size: 12px;
  flex-wrap: wrap;
  margin: 4px 0 0;
}
i {
  display: inline-block;
  width: 10px;
  height: 10px;
  margin-right: 4px;
}
</style>
