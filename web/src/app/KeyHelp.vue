<script setup lang="ts">
import { BModal } from 'bootstrap-vue-next'
import { KEYS } from './keyboard'

const open = defineModel<boolean>({ required: true })
</script>

<template>
  <BModal v-model="open" title="Keys" no-footer>
    <table class="ruled">
      <tbody>
        <tr v-for="[key, words] in KEYS" :key="key">
          <td class="num keys">
            <kbd v-for="one in key.split(' ')" :key="one">{{ one }}</kbd>
          </td>
          <td>{{ words }}</td>
        </tr>
      </tbody>
    </table>
    <p class="faded mt-2 mb-0">On the tape: drag a window to move it, drag an edge to resize it, turn the wheel to zoom, double-click a bump to frame it.</p>
  </BModal>
</template>

<style scoped>
.keys {
  width: 90px;
  text-align: left !important;
}
kbd {
  background: var(--usual);
  color: var(--ink);
  font-size: 13px;
  margin-right: 4px;
}
</style>
