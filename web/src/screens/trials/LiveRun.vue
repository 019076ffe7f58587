<script setup lang="ts">
import { ref } from 'vue'
import type { Schemas } from '@/api/client'
import { colourOf, isHatched } from '@/state/families'
import { armLine } from './armLines'
import HideChoices from './HideChoices.vue'
import SecondsChart from './SecondsChart.vue'

/** The run that goes on, second by second; each picture can be put away, and stays away from run to run. */
const props = defineProps<{ live: Schemas['LiveSheet'] | null }>()
const hidden = ref<string[]>([])
const lines = (picture: Schemas['LivePicture']) =>
  picture.lines.map((one) => ({
    name: one.name,
    values: one.values,
    ...(one.family ? { stroke: colourOf(one.family, 0), dash: isHatched(one.family, 0) ? '4 2' : '' } : armLine(props.live?.place ?? 0)),
  }))
</script>

<template>
  <section v-if="live" data-test="live">
    <h2 class="part mt-2">
      <span>{{ live.sentence }}</span>
    </h2>
    <HideChoices v-model="hidden" :names="live.pictures.map((picture) => picture.title)" />
    <div class="pictures">
      <figure v-for="picture in live.pictures.filter((one) => !hidden.includes(one.title))" :key="picture.title" class="m-0">
        <SecondsChart :lines="lines(picture)" :since="live.since_s" :seconds="live.shown_s" :title="picture.title" :unit="picture.unit" :data-of="picture.title" />
        <figcaption v-if="picture.lines.some((one) => one.family)" class="families">
          <span v-for="one in lines(picture)" :key="one.name">
            <svg width="18" height="8" aria-hidden="true"><line x1="0" x2="18" y1="4" y2="4" :stroke="one.stroke" :stroke-dasharray="one.dash" stroke-width="2" /></svg>
            {{ one.name }}
          </span>
        </figcaption>
      </figure>
    </div>
  </section>
</template>

<style scoped>
.pictures {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(360px, 1fr));
  gap: 4px 32px;
}
.families {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  font-size: 12px;
}
</style>
