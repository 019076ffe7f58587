<script setup lang="ts">
import { ref } from 'vue'
import { useRoute } from 'vue-router'
import ConfirmDialog from './ConfirmDialog.vue'
import FindDialog from './FindDialog.vue'
import HeadLine from './HeadLine.vue'
import KeyHelp from './KeyHelp.vue'
import RailBar from './RailBar.vue'
import { useKeyboard } from './keyboard'
import TapeStrip from '@/parts/TapeStrip.vue'
import SignIn from './SignIn.vue'
import { ask, me } from '@/state/me'

const route = useRoute()
const finding = ref(false)
const helping = ref(false)
ask()
useKeyboard({ find: () => (finding.value = true), help: () => (helping.value = true) })
</script>

<template>
  <SignIn v-if="me && !me.signed_in" />
  <div v-else-if="me" class="frame">
    <a class="skip" href="#sheet">To the sheet</a>
    <RailBar class="rail" />
    <HeadLine class="head" @find="finding = true" @help="helping = true" />
    <main id="sheet" class="main" tabindex="-1">
      <RouterView :key="String(route.name) + JSON.stringify(route.params)" />
    </main>
    <TapeStrip class="tape" />
    <FindDialog v-model="finding" />
    <KeyHelp v-model="helping" />
    <ConfirmDialog />
  </div>
</template>

<style scoped>
.frame {
  display: grid;
  height: 100vh;
  grid-template: 42px minmax(0, 1fr) 104px / 76px minmax(0, 1fr);
  grid-template-areas: 'rail head' 'rail main' 'rail tape';
}
.rail {
  grid-area: rail;
}
.head {
  grid-area: head;
}
.main {
  grid-area: main;
  overflow: auto;
  position: relative; /* what is placed inside, hidden words for readers too, scrolls with it and does not make the page longer */
  padding: 10px 12px;
  outline: none;
}
.tape {
  grid-area: tape;
}
.skip {
  position: absolute;
  left: -999px;
}
.skip:focus {
  left: 4px;
  top: 4px;
  z-index: 10;
  background: var(--sheet);
  padding: 4px 8px;
}
</style>
