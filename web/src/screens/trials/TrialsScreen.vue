<script setup lang="ts">
import type { Schemas } from '@/api/client'
import AnswerSheet from '@/parts/AnswerSheet.vue'
import { useAnswer } from '@/state/fetching'
import { clock, day } from '@/state/units'
import { useWindow } from '@/state/window'

const w = useWindow()
const answer = useAnswer<Schemas['TrialList']>(() => 'trials', () => true)
</script>

<template>
  <AnswerSheet :answer="answer">
    <template #beside>
      <RouterLink class="btn btn-sm btn-primary" :to="{ name: 'new-trial', query: w.kept.value }" data-test="new-trial">Design a trial</RouterLink>
    </template>
    <template #default="{ data }">
      <table v-if="data.trials.length" class="ruled">
        <thead><tr><th class="num">no.</th><th>started</th><th>trial</th><th>state</th><th>verdict</th></tr></thead>
        <tbody>
          <tr v-for="trial in data.trials" :key="trial.id" class="link" @click="w.router.push({ name: 'trial', params: { id: trial.id }, query: w.kept.value })">
            <td class="num">{{ trial.id }}</td>
            <td class="figure">{{ day(trial.created_us) }} {{ clock(trial.created_us) }}</td>
            <td><RouterLink :to="{ name: 'trial', params: { id: trial.id }, query: w.kept.value }" @click.stop>{{ trial.title }}</RouterLink></td>
            <td>{{ trial.state }}{{ trial.state === 'running' ? ` ${Math.round(trial.done_share * 100)}%` : '' }}</td>
            <td>{{ trial.sentence }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else class="faded">A trial compares one change with things as they are, in interleaved runs. Start from a finding's "Try it", or design one here.</p>
    </template>
  </AnswerSheet>
</template>
