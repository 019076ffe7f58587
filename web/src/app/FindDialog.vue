<script setup lang="ts">
import { BModal } from 'bootstrap-vue-next'
import { computed, onUnmounted, ref, watch } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import { SCREENS } from './routes'
import { useWindow } from '@/state/window'

const open = defineModel<boolean>({ required: true })
const { router, kept, scope } = useWindow()
const words = ref('')
const found = ref<Schemas['Hit'][]>([])
const chosen = ref(0)
const input = ref<HTMLInputElement>()

const hits = computed(() => {
  const typed = words.value.trim().toLowerCase()
  const screens = SCREENS.filter((one) => typed && one.words.toLowerCase().includes(typed)).map((one) => ({ kind: 'screen', name: one.name as string, words: one.words as string }))
  return [...screens, ...found.value]
})

/** A long text from shortly before the first word looked for, so that it is seen why the text was found. */
function excerpt(text: string): string {
  const at = text.toLowerCase().indexOf(words.value.trim().toLowerCase().split(/\s+/)[0])
  return at > 30 ? `… ${text.slice(text.lastIndexOf(' ', at - 20) + 1)}` : text
}

async function look(typed: string) {
  const answer = await answered(api.GET('/api/find', { params: { query: { q: typed } } })).catch(() => [])
  if (typed === words.value) found.value = answer
  chosen.value = 0
}
let asked: Promise<void> = Promise.resolve()
watch(words, (typed) => (asked = look(typed)), { flush: 'sync' })

/** What is typed before the field has the keyboard belongs to it all the same. */
function early(event: KeyboardEvent) {
  if (document.activeElement === input.value || event.ctrlKey || event.metaKey || event.altKey) return
  if (event.key.length === 1) words.value += event.key
  else if (event.key === 'Backspace') words.value = words.value.slice(0, -1)
  else if (event.key === 'Enter') void enter()
  else return
  event.preventDefault()
  event.stopPropagation()
}
const leave = () => window.removeEventListener('keydown', early, true)
function ready() {
  input.value?.focus()
  leave()
}
watch(
  open,
  (opened) => {
    leave()
    if (!opened) return
    window.addEventListener('keydown', early, true)
    words.value = ''
    asked = look('')
  },
  { flush: 'sync' },
)
onUnmounted(leave)

function go(hit: { kind: string; name: string }) {
  open.value = false
  const query = { ...kept.value }
  const scoped = scope.value === 'fleet' ? query : { ...query, scope: scope.value }
  if (hit.kind === 'server') router.push({ name: 'server', params: { server: hit.name }, query })
  else if (hit.kind === 'cluster') router.push({ name: 'ledger', query: { ...query, scope: hit.name } })
  else if (hit.kind === 'article') router.push({ name: 'handbook', query: { ...query, open: hit.name } })
  else if (hit.kind === 'trial') router.push({ name: 'trial', params: { id: hit.name } })
  else if (hit.kind === 'statement') router.push({ name: 'statement', params: { fingerprint: hit.name }, query: scoped })
  else router.push({ name: hit.name, query: scoped, params: hit.name === 'server' ? { server: 'first' } : {} })
}

/** Waits for the answer to what was typed, so that Enter never opens a hit of other words. */
async function enter() {
  await asked
  const hit = hits.value[chosen.value]
  if (open.value && hit) go(hit)
}

function key(event: KeyboardEvent) {
  if (event.key === 'ArrowDown') chosen.value = Math.min(chosen.value + 1, hits.value.length - 1)
  else if (event.key === 'ArrowUp') chosen.value = Math.max(chosen.value - 1, 0)
  else if (event.key === 'Enter') void enter()
  else return
  event.preventDefault()
}
</script>

<template>
  <BModal v-model="open" title="Find" no-footer @shown="ready">
    <input ref="input" v-model="words" class="form-control mb-2" placeholder="server, statement, trial, article, screen" aria-label="Find" @keydown="key" />
    <ul class="hits">
      <li v-for="(hit, i) in hits" :key="hit.kind + hit.name">
        <button type="button" :class="{ on: i === chosen }" @click="go(hit)" @mousemove="chosen = i">
          <span class="faded">{{ hit.kind }}</span> <span :class="{ sql: hit.kind === 'statement' }">{{ excerpt(hit.words) }}</span>
        </button>
      </li>
      <li v-if="!hits.length" class="faded">Nothing matches.</li>
    </ul>
  </BModal>
</template>

<style scoped>
.hits {
  list-style: none;
  padding: 0;
  margin: 0;
  max-height: 360px;
  overflow: auto;
}
button {
  display: grid;
  grid-template-columns: 80px 1fr;
  width: 100%;
  text-align: left;
  border: 0;
  background: none;
  color: var(--ink);
  padding: 4px 6px;
  font-size: 13px;
}
button span:last-child {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
button.on {
  background: var(--usual);
}
</style>
