<script setup lang="ts">
import { computed } from 'vue'
import BalanceBeam from './BalanceBeam.vue'
import { api, type Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import FigureText from '@/parts/FigureText.vue'
import GaugeScale from '@/parts/GaugeScale.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

/** One cluster: members as columns with the same gauges in the same rows, so that the odd one breaks the line. */
type Member = Schemas['MemberColumn']
const w = useWindow()
const name = computed(() => String(w.route.params.cluster))
const answer = useAnswer(
  () => ({ cluster: name.value, query: { focus: w.focusText.value, reference: w.referenceText.value } }),
  ({ cluster, query }) => api.GET('/api/clusters/{cluster}', { params: { path: { cluster }, query } }),
  () => w.following.value,
)
const figures = computed(() => answer.data.value?.members[0]?.figures ?? [])
const of = (member: Member, figure: string) => member.figures.find((one) => one.name === figure)!
const any = (has: (member: Member) => boolean) => (answer.data.value?.members ?? []).some(has)
const strips = computed(() => ({ name: 'strips', query: { ...w.kept.value, band: (answer.data.value?.members ?? []).map((one) => `figure:${one.server}:calls_per_s`) } }))
</script>

<template>
  <AnswerSheet v-slot="{ data }" :answer="answer">
    <div class="scroll" tabindex="0" role="group" aria-label="Members">
      <table class="ruled members">
        <thead>
          <tr>
            <th class="label"></th>
            <th v-for="member in data.members" :key="member.server" :class="{ gone: !member.answers }"><SubjectLink kind="server" :name="member.server" /></th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td class="label">role, version</td>
            <td v-for="member in data.members" :key="member.server">
              {{ member.role }} <span class="faded">{{ member.version }}</span>
            </td>
          </tr>
          <tr>
            <td class="label">stands</td>
            <td v-for="member in data.members" :key="member.server">
              <span v-if="!member.answers" class="act">does not answer</span><span v-else>answers</span
              ><RouterLink v-if="member.findings" :to="{ name: 'findings', query: { ...w.kept.value, scope: member.server } }"
                >, {{ member.findings }} {{ member.findings === 1 ? 'finding' : 'findings' }}</RouterLink
              >
            </td>
          </tr>
          <tr v-for="figure in figures" :key="figure.name">
            <td class="label">{{ figure.title }}</td>
            <td v-for="member in data.members" :key="member.server">
              <FigureText :value="of(member, figure.name).value" :unit="figure.unit" missing="not known" />
              <span class="strong ms-2">{{ ['usual', 'no range'].includes(of(member, figure.name).word) ? '' : of(member, figure.name).word }}</span>
              <GaugeScale
                :name="`${figure.title} of ${member.server}`"
                :value="of(member, figure.name).value"
                :low="of(member, figure.name).low"
                :high="of(member, figure.name).high"
                :reference="of(member, figure.name).centre"
                :unit="figure.unit"
                :width="128"
              />
            </td>
          </tr>
          <tr v-if="any((one) => one.calls_part !== null)">
            <td class="label">part of the calls</td>
            <td v-for="member in data.members" :key="member.server"><BalanceBeam :part="member.calls_part" :even="member.even" :name="`all ${member.role}s`" /></td>
          </tr>
          <tr v-if="any((one) => one.bytes !== null)">
            <td class="label">bytes held</td>
            <td v-for="member in data.members" :key="member.server">
              <FigureText :value="member.bytes" unit="B" missing="not reported" /><br /><BalanceBeam
                v-if="member.bytes_part !== null"
                :part="member.bytes_part"
                :even="member.even"
                :name="`all ${member.role}s`"
              />
            </td>
          </tr>
          <tr v-if="any((one) => one.lag_s !== null || one.lag_bytes !== null)">
            <td class="label">behind the primary</td>
            <td v-for="member in data.members" :key="member.server">
              <template v-if="member.lag_s !== null || member.lag_bytes !== null"
                ><FigureText :value="member.lag_s" unit="s" missing="not reported" />, <FigureText :value="member.lag_bytes" unit="B" missing="bytes not reported" />
                <span class="strong">{{ member.lag_words }}</span></template
              ><span v-else class="faded">no replica</span>
            </td>
          </tr>
          <tr v-if="any((one) => one.members_seen !== null)">
            <td class="label">members it sees</td>
            <td v-for="member in data.members" :key="member.server">{{ member.members_seen ?? 'not reported' }}</td>
          </tr>
          <tr v-if="any((one) => one.moving !== null || one.missing !== null)">
            <td class="label">partitions on the move</td>
            <td v-for="member in data.members" :key="member.server">
              {{ member.moving_words }}<span v-if="member.missing" class="act">, {{ member.missing.toFixed(0) }} copies missing</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p class="faded mt-2 mb-1">
      {{ [...data.odd, ...data.well].join('; ') }}<template v-if="data.odd.length || data.well.length">. </template>
      <RouterLink :to="strips">Their calls as strips</RouterLink>
    </p>
    <div class="cols two mt-2">
      <div>
        <h2 class="part"><span>What happened to members in the focus</span></h2>
        <p v-for="line in data.story" :key="line" class="mb-1" data-test="story">{{ line }}</p>
        <p v-if="!data.story.length" class="faded">All members were there all the time, and no partition was moved, as far as it was recorded.</p>
      </div>
      <div>
        <h2 class="part"><span>Settings that are not the same</span></h2>
        <p v-for="one in data.settings" :key="one.name" class="mb-1">
          <b>{{ one.name }}</b>: <span v-for="(members, value) in one.values" :key="value" class="me-2">{{ value }} on {{ members.join(', ') }};</span>
        </p>
        <p v-if="!data.settings.length" class="faded">None that concerns the work.</p>
      </div>
    </div>
  </AnswerSheet>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
.members td,
.members th {
  min-width: 150px;
  vertical-align: top;
}
.members .label {
  min-width: 140px;
  color: var(--faded);
  font-weight: 600;
  position: sticky;
  left: 0;
  background: var(--sheet);
}
.gone {
  text-decoration: line-through;
}
.two {
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
}
</style>
