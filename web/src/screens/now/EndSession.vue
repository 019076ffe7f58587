<script setup lang="ts">
import { BButton, BFormInput, BModal } from 'bootstrap-vue-next'
import { ref } from 'vue'
import { answered, api, type Schemas } from '@/api/client'
import ProblemLine from '@/parts/ProblemLine.vue'
import { duration, text } from '@/state/units'
import { useWork } from '@/state/work'

/** Ends a session with a reason, after saying what is lost by it and who is set free. */
const props = defineProps<{ server: string; row: Schemas['SessionRow']; waiting: number }>()
const emit = defineEmits<{ done: [said: string]; close: [] }>()
const open = ref(true)
const reason = ref('')
const { problem, busy, run } = useWork()
const end = () =>
  run(async () => {
    const path = { server: props.server, session: props.row.session }
    await answered(api.POST('/api/servers/{server}/sessions/{session}/end', { params: { path }, body: { user: props.row.user, reason: reason.value } }))
    emit('done', `Session ${props.row.session} was ended.`)
  })
</script>

<template>
  <BModal v-model="open" :title="`End session ${row.session} on ${server}`" no-footer @hidden="emit('close')">
    <form @submit.prevent="end">
      <p>
        {{ row.service || 'A service that is not known' }}, user {{ row.user || 'not known' }}: {{ row.words
        }}<template v-if="row.transaction_s !== null">; its transaction has been open for {{ text(duration(row.transaction_s)) }}</template
        >. What it has not committed is rolled back, which can take as long as it took to do.
        <b v-if="waiting">{{ waiting === 1 ? 'One session waits' : `${waiting} sessions wait` }} for it.</b>
      </p>
      <pre v-if="row.text" class="sql">{{ row.text }}</pre>
      <label for="end-reason">Why</label>
      <BFormInput id="end-reason" v-model="reason" maxlength="150" placeholder="holds up the returns desk since half past nine" autofocus data-test="end-reason" />
      <p class="faded mt-1">Kept in the audit log and noted among the changes of {{ server }}.</p>
      <div class="form-line">
        <BButton type="submit" variant="primary" size="sm" :disabled="busy || !reason.trim()" data-test="end-now">End it</BButton>
        <ProblemLine :problem="problem" />
      </div>
    </form>
  </BModal>
</template>

<style scoped>
pre {
  white-space: pre-wrap;
  max-height: 160px;
  overflow: auto;
}
</style>
