<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput, BFormSelect } from 'bootstrap-vue-next'
import { computed, ref, watch } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import DurationInput from './DurationInput.vue'
import { MODES, type Rule } from './rule'
import { words } from '@/state/work'

defineProps<{ places: string[] }>()
/** One capture rule. Recording only weighty statements says what it would miss. */
const rule = defineModel<Rule>({ required: true })
const missed = ref<Schemas['Missed'] | null>(null)
const lasting = ref<number | null>(null)
const list = (name: 'users' | 'services' | 'databases') => computed({ get: () => (rule.value.only?.[name] ?? []).join(', '), set: (text) => (rule.value.only![name] = words(text)) })
const [users, services, databases] = [list('users'), list('services'), list('databases')]
const sessions = computed({ get: () => (rule.value.only?.sessions ?? []).join(', '), set: (text) => (rule.value.only!.sessions = words(text).map(Number).filter(Number.isInteger)) })
const kept = computed({ get: () => rule.value.literals === 'kept', set: (yes) => (rule.value.literals = yes ? 'kept' : 'replaced') })
const places_ = computed({ get: () => rule.value.applies_to.join(', '), set: (text) => (rule.value.applies_to = words(text)) })

watch(
  () => [rule.value.mode, rule.value.weighty_from, rule.value.applies_to.join()],
  async () => {
    missed.value = rule.value.mode === 'weighty' && rule.value.applies_to.length ? await answered(api.POST('/api/capture-rules/missed', { body: rule.value })).catch(() => null) : null
  },
  { immediate: true },
)
const forAWhile = () => (rule.value.until = new Date(Date.now() + lasting.value! * 1000).toISOString().replace(/\.\d+Z/, 'Z'))
</script>

<template>
  <section>
    <h2 class="part">
      <span>{{ rule.name || 'A rule' }}</span>
    </h2>
    <div class="form-grid">
      <label for="rule-name">Name</label><BFormInput id="rule-name" v-model="rule.name" size="sm" :state="rule.name ? null : false" />
      <label for="rule-places">Applies to</label>
      <div>
        <BFormInput id="rule-places" v-model.lazy="places_" size="sm" list="places" :state="rule.applies_to.length ? null : false" /><datalist id="places">
          <option v-for="one in places" :key="one" :value="one" /></datalist
        ><span class="faded small">fleet, clusters, labels or servers, separated by commas</span>
      </div>
      <label for="rule-mode">Records</label><BFormSelect id="rule-mode" v-model="rule.mode" :options="MODES" size="sm" data-test="mode" />
      <template v-if="rule.mode === 'weighty'">
        <span>from</span>
        <div>
          <div class="form-line"><DurationInput v-model="rule.weighty_from" label="From how long a call" /> a call on average in the interval</div>
          <p v-if="missed" class="act mb-0 mt-1" role="status" data-test="missed">{{ missed.sentence }}</p>
        </div>
      </template>
      <template v-if="rule.mode !== 'reading'">
        <span>Sessions</span>
        <div class="form-line">
          every <DurationInput v-model="rule.sample" label="Sessions every" off /> from one session in
          <BFormInput v-model.number="rule.every_nth_session" type="number" min="1" max="1000" size="sm" class="count" aria-label="One session in" data-test="nth" />
        </div>
        <span>Counters</span>
        <div class="form-line">every <DurationInput v-model="rule.counters" label="Counters every" /></div>
        <span>Executions</span>
        <div class="form-line">that take <DurationInput v-model="rule.threshold" label="Executions from" off /> or more</div>
        <span>Their texts</span>
        <div><BFormCheckbox v-model="kept" data-test="literals">with their values</BFormCheckbox><span v-if="kept" class="act small">values may be personal data; they go into bundles too</span></div>
        <span>Waits</span><BFormCheckbox v-model="rule.waits">what sessions wait for</BFormCheckbox> <label for="rule-plans">Plans</label>
        <div class="form-line">at most <BFormInput id="rule-plans" v-model.number="rule.plans" type="number" min="0" max="200" size="sm" class="count" /> of a statement</div>
        <span>Only</span>
        <div v-if="rule.only" class="only">
          <label for="only-users">users</label><BFormInput id="only-users" v-model.lazy="users" size="sm" /> <label for="only-services">services</label
          ><BFormInput id="only-services" v-model.lazy="services" size="sm" /> <label for="only-databases">databases</label><BFormInput id="only-databases" v-model.lazy="databases" size="sm" />
          <label for="only-sessions">sessions</label><BFormInput id="only-sessions" v-model.lazy="sessions" size="sm" /> <label for="only-object">object or procedure</label
          ><BFormInput id="only-object" v-model="rule.only.object" size="sm" /> <label for="only-text">text with</label><BFormInput id="only-text" v-model="rule.only.text" size="sm" />
        </div>
      </template>
      <span>Until</span>
      <div class="form-line">
        <template v-if="rule.until"
          ><span class="figure">{{ rule.until.replace('T', ' ').replace('Z', ' UTC') }}</span
          ><BButton size="sm" variant="link" @click="rule.until = null">until stopped</BButton></template
        >
        <template v-else
          >stopped, or for <DurationInput v-model="lasting" label="For how long" off /><BButton size="sm" variant="outline-secondary" :disabled="!lasting" @click="forAWhile"
            >from now</BButton
          ></template
        >
      </div>
    </div>
  </section>
</template>

<style scoped>
.form-grid {
  grid-template-columns: 90px minmax(0, 1fr);
}
.count {
  width: 80px;
}
.only {
  display: grid;
  grid-template-columns: auto 1fr auto 1fr;
  gap: 5px 8px;
  align-items: center;
}
.only label {
  color: var(--faded);
}
</style>
