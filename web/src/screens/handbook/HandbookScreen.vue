<script setup lang="ts">
import { BFormInput } from 'bootstrap-vue-next'
import { computed } from 'vue'
import { api, type Schemas } from '@/api/client'
import StateNote from '@/parts/StateNote.vue'
import { useAnswer } from '@/state/fetching'
import { useWindow } from '@/state/window'

type Line = Schemas['ArticleLine']
type Group = Line['group']
const GROUPS: [Group, string][] = [
  ['cause', 'Causes'],
  ['setting', 'Settings'],
  ['figure', 'Figures'],
  ['wait family', 'Wait families'],
  ['check', 'Checks of statements'],
]
const w = useWindow()
const search = computed({ get: () => String(w.route.query.search ?? ''), set: (value: string) => w.change({ search: value || undefined }) })
const list = useAnswer(
  () => search.value,
  (q) => api.GET('/api/handbook', { params: { query: { q } } }),
)
const opened = computed(() => {
  const [group, key] = String(w.route.query.open ?? '').split('/')
  return group && key ? { group: group as Group, key } : null
})
const article = useAnswer(
  () => opened.value,
  (path) => api.GET('/api/handbook/{group}/{key}', { params: { path } }),
)
const name = (line: Line) => `${line.group}/${line.key}`
const parts = computed(() => GROUPS.map(([group, words]) => ({ words, lines: (list.data.value ?? []).filter((line) => line.group === group) })).filter((part) => part.lines.length))
</script>

<template>
  <div class="sheet fill">
    <p class="lead-sentence" data-test="sentence">
      {{ search ? `${list.data.value?.length ?? 0} articles hold “${search}”.` : 'What each cause, check, setting, figure and wait family is, and what to do about it.' }}
    </p>
    <div class="cols two">
      <div class="list">
        <BFormInput v-model="search" size="sm" placeholder="deadlock, log, memory" aria-label="Search the handbook" class="mb-2" />
        <StateNote :problem="list.problem.value" :working="list.working.value" :has="!!list.data.value" :empty="!parts.length" @again="list.ask"
          ><template #empty>No article holds these words.</template></StateNote
        >
        <section v-for="part in parts" :key="part.words">
          <h2 class="part">
            <span>{{ part.words }}</span><span>{{ part.lines.length }}</span>
          </h2>
          <ul>
            <li v-for="line in part.lines" :key="name(line)">
              <RouterLink :to="{ query: { ...w.route.query, open: name(line) } }" :class="{ on: opened?.key === line.key && opened?.group === line.group }" :title="line.opening">{{
                line.title
              }}</RouterLink>
            </li>
          </ul>
        </section>
      </div>
      <article v-if="opened" data-test="article">
        <StateNote :problem="article.problem.value" :working="article.working.value" :has="!!article.data.value" @again="article.ask" />
        <template v-if="article.data.value">
          <h1>{{ article.data.value.title }}</h1>
          <p class="faded">
            {{ article.data.value.group }} <code>{{ article.data.value.key }}</code>
          </p>
          <section v-for="part in article.data.value.sections" :key="part.heading">
            <h2>{{ part.heading }}</h2>
            <p>{{ part.text }}</p>
          </section>
          <p v-if="article.data.value.group === 'cause'">
            <RouterLink :to="{ name: 'findings', query: { ...w.kept.value, search: article.data.value.key.replaceAll('_', ' ') } }">Findings with this cause</RouterLink>
          </p>
        </template>
      </article>
      <p v-else class="faded">Choose an article, or search for words.</p>
    </div>
  </div>
</template>

<style scoped>
.fill {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.two {
  grid-template-columns: 300px minmax(0, 1fr);
  flex: 1;
  min-height: 0;
}
.list {
  overflow: auto;
  min-height: 0;
  padding-right: 6px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0 0 12px;
}
li a {
  display: block;
  padding: 2px 6px;
  color: var(--ink);
  text-decoration: none;
  font-size: 13px;
}
li a:hover,
li a.on {
  background: var(--usual);
}
article {
  overflow: auto;
  min-height: 0;
  max-width: 680px;
}
h1 {
  font-size: 20px;
  margin: 0;
}
article h2 {
  font-size: 13px;
  font-weight: 600;
  margin: 12px 0 2px;
}
article p {
  margin: 0;
  line-height: 1.5;
}
</style>
