<script setup lang="ts">
import { BButton, BFormInput, BModal } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import { useWork } from '@/state/work'

/** Pins a plan of a statement, or takes the pin back, with a reason. */
const props = defineProps<{ server: string; fingerprint: string; plan: string; pinned: boolean }>()
const emit = defineEmits<{ done: [said: string]; close: [] }>()
const open = ref(true)
const reason = ref('')
const { problem, busy, run } = useWork()
const send = () =>
  run(async () => {
    const path = { server: props.server, fingerprint: props.fingerprint }
    const body = { plan_key: props.pinned ? null : props.plan, reason: reason.value }
    await answered(api.POST('/api/servers/{server}/statements/{fingerprint}/pin', { params: { path }, body }))
    emit('done', props.pinned ? `The pin was taken back; ${props.server} reports it within a minute.` : `The plan is pinned; ${props.server} reports it within a minute.`)
  })
</script>

<template>
  <BModal v-model="open" :title="pinned ? `Take a pin back on ${server}` : `Pin a plan on ${server}`" no-footer @hidden="emit('close')">
    <form @submit.prevent="send">
      <p v-if="pinned">
        {{ server }} keeps plan <code>{{ plan.slice(0, 8) }}</code> for this statement. Without the pin its planner chooses anew at the next call, and may choose the plan for which the pin was made;
        this plan can be pinned again at once.
      </p>
      <p v-else>
        {{ server }} will use plan <code>{{ plan.slice(0, 8) }}</code> for every call of this statement, whatever its planner thinks. It stays when the data changes, and a better plan is not seen any
        more; look again when the table has grown by half.
      </p>
      <label for="pin-reason">Why</label>
      <BFormInput id="pin-reason" v-model="reason" maxlength="150" placeholder="the other plan reads all of loan since Tuesday" autofocus data-test="pin-reason" />
      <p class="faded mt-1">Kept in the audit log and noted among the changes of {{ server }}.</p>
      <div class="form-line">
        <BButton type="submit" variant="primary" size="sm" :disabled="busy || !reason.trim()" data-test="pin-now">{{ pinned ? 'Take it back' : 'Pin it' }}</BButton>
        <ProblemLine :problem="problem" />
      </div>
    </form>
  </BModal>
</template>
