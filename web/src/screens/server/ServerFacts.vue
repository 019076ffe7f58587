<script setup lang="ts">
import type { Schemas } from '@/api/client'
import FigureText from '@/parts/FigureText.vue'
import DataTable from '@/parts/DataTable.vue'
import GaugeScale from '@/parts/GaugeScale.vue'
import LogMessages from '@/parts/LogMessages.vue'
import SubjectLink from '@/parts/SubjectLink.vue'
import type { Column } from '@/parts/table'
import { clock, day, said, text } from '@/state/units'

defineProps<{ sheet: Schemas['ServerSheet'] }>()
const value = (setting: Schemas['SettingOut'], which: 'value' | 'default') => {
  const one = setting[which]
  if (one === null || one === '') return one === null ? 'not known' : 'empty'
  return typeof one === 'number' ? text(said(one, setting.unit ?? '')) : String(one)
}
const about = (setting: Schemas['SettingOut']) => `${setting.name} = ${value(setting, 'value')}. ${setting.description} Applies ${setting.applies}${setting.context ? ` (${setting.context})` : ''}.`
const SETTINGS: Column<Schemas['SettingOut']>[] = [
  { key: 'name', title: 'setting', width: '42%', value: (setting) => setting.name },
  { key: 'value', title: 'here', wide: true, value: (setting) => value(setting, 'value') },
  { key: 'beside', title: 'elsewhere', wide: true },
]
const CONNECTED: Column<Schemas['ConnectedGroup']>[] = [
  { key: 'service', title: 'service', wide: true, value: (one) => one.service || 'not told' },
  { key: 'user', title: 'user', value: (one) => one.user },
  { key: 'client', title: 'from', value: (one) => one.client },
  { key: 'open', title: 'open', value: (one) => one.open },
  { key: 'idle', title: 'idle', value: (one) => one.idle },
  { key: 'most', title: 'most', value: (one) => one.most },
]
</script>

<template>
  <div class="facts">
    <h2 class="part"><span>Who held others up</span></h2>
    <div v-for="one in sheet.holdups" :key="`${one.doing} ${one.fingerprint} ${one.user} ${one.service}`" class="holdup" data-test="holdup">
      <b>{{ one.service || one.user || 'a session' }}</b> <span class="faded">session {{ one.session }}</span> {{ one.words }}
      <SubjectLink v-if="one.fingerprint" kind="statement" :name="one.fingerprint" :server="sheet.server"
        ><code class="last">{{ one.text }}</code></SubjectLink
      >
    </div>
    <p v-if="!sheet.holdups.length" class="faded mb-0">{{ sheet.no_holdups }}</p>
    <div v-if="sheet.oldest_transaction" class="holdup" data-test="oldest-transaction">
      Oldest: <b>{{ sheet.oldest_transaction.service || sheet.oldest_transaction.user || 'a session' }}</b> <span class="faded">session {{ sheet.oldest_transaction.session }}</span>
      {{ sheet.oldest_transaction.words }}
      <SubjectLink v-if="sheet.oldest_transaction.fingerprint" kind="statement" :name="sheet.oldest_transaction.fingerprint" :server="sheet.server"
        ><code class="last">{{ sheet.oldest_transaction.text }}</code></SubjectLink
      >
    </div>

    <h2 class="part mt-2"><span>Last changes</span></h2>
    <p v-for="change in sheet.changes" :key="change.at_us + change.title" class="change">
      <span class="figure">{{ day(change.at_us) }} {{ clock(change.at_us) }}</span> {{ change.title }} <span class="faded">{{ change.kind }}</span>
    </p>
    <p v-if="!sheet.changes.length" class="faded">None recorded.</p>

    <template v-if="sheet.plan_changes.length">
      <h2 class="part mt-2"><span>Plans that changed</span></h2>
      <p v-if="sheet.plans_note" class="faded mb-1">{{ sheet.plans_note }}</p>
      <p v-for="one in sheet.plan_changes" :key="one.at_us + one.fingerprint" class="change">
        <span class="figure">{{ day(one.at_us) }} {{ clock(one.at_us) }}</span> from <SubjectLink kind="plan" :name="one.before" :server="sheet.server">{{ one.before.slice(0, 8) }}</SubjectLink>{{
          ' '
        }}<FigureText :value="one.before_s" unit="s" /> to <SubjectLink kind="plan" :name="one.after" :server="sheet.server">{{ one.after.slice(0, 8) }}</SubjectLink>{{ ' '
        }}<FigureText :value="one.after_s" unit="s" /> per call
        <SubjectLink kind="statement" :name="one.fingerprint" :server="sheet.server"
          ><code class="last">{{ one.text }}</code></SubjectLink
        >
      </p>
    </template>

    <h2 class="part mt-2"><span>What the log says</span></h2>
    <LogMessages v-if="sheet.messages.length" :rows="sheet.messages" :server="sheet.server" />
    <p v-else class="faded mb-0">{{ sheet.no_messages }}</p>

    <h2 class="part mt-2"><span>Settings that differ</span></h2>
    <div class="settings" tabindex="0">
      <DataTable v-if="sheet.settings.length" :rows="sheet.settings" :columns="SETTINGS" :row-key="(setting) => setting.name">
        <template #name="{ row }"
          ><code :title="about(row)">{{ row.name }}</code></template
        >
        <template #value="{ row }"
          ><span class="figure" :title="about(row)">{{ value(row, 'value') }}</span></template
        >
        <template #beside="{ row }"
          ><span class="faded"
            >{{ row.pending ? 'waits for a restart; ' : '' }}{{ row.differs_from.length ? `not as on ${row.differs_from.join(', ')}` : `default ${value(row, 'default')}` }}</span
          ></template
        >
      </DataTable>
      <p v-else class="faded mb-0">None.</p>
    </div>

    <h2 v-if="sheet.volumes.length" class="part mt-2"><span>Volumes</span></h2>
    <div v-for="volume in sheet.volumes" :key="volume.name" class="volume">
      <span>{{ volume.purpose }}</span>
      <GaugeScale :name="`${volume.purpose} volume used`" :value="volume.used_bytes" unit="B" :width="110" :max="volume.capacity_bytes" />
      <FigureText :value="volume.used_bytes" unit="B" />
      <span class="faded">of <FigureText :value="volume.capacity_bytes" unit="B" />{{ volume.days_left !== null ? `, full in ${Math.round(volume.days_left)} days` : '' }}</span>
    </div>

    <template v-if="sheet.levels.length">
      <h2 class="part mt-2"><span>Levels</span></h2>
      <p class="levels">
        <span v-for="level in sheet.levels" :key="level.name" :class="{ wide: level.of }"
          >{{ level.title }} <code v-if="level.of">{{ level.of }}</code> <FigureText :value="level.value" :unit="level.unit"
        /></span>
      </p>
    </template>

    <template v-if="sheet.connected.length">
      <h2 class="part mt-2"><span>Who is connected</span></h2>
      <DataTable :rows="sheet.connected" :columns="CONNECTED" :row-key="(one) => `${one.service} ${one.user} ${one.client}`" />
    </template>

    <h2 class="part mt-2">
      <span>Members of {{ sheet.cluster }}</span>
    </h2>
    <p v-for="member in sheet.members" :key="member.server" class="member">
      <SubjectLink kind="server" :name="member.server" />
      <span class="faded">{{ member.role }}</span>
      <FigureText :value="member.active_sessions" unit="active sessions" />
    </p>

    <h2 class="part mt-2"><span>Capture</span></h2>
    <p class="mb-0">
      {{ sheet.capture_words }}; engine {{ sheet.engine }} {{ sheet.engine_version
      }}<template v-if="sheet.cores">, {{ sheet.cores }} cores, <FigureText :value="sheet.memory_bytes" unit="B" /> of memory</template><template v-else>; it does not report its host</template>.
    </p>
    <p v-for="gap in sheet.gaps" :key="gap.from_us" class="change act">
      <span class="figure">{{ clock(gap.from_us) }} to {{ gap.to_us ? clock(gap.to_us) : 'now' }}</span> {{ gap.kind }}: {{ gap.reason }}
    </p>
  </div>
</template>

<style scoped>
.facts {
  font-size: 13px;
  min-width: 0;
}
.settings {
  max-height: 270px;
  overflow: auto;
}
.settings :deep(td) {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.last {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.holdup,
.change,
.member {
  margin: 0;
  padding: 2px 0;
}
.levels {
  margin: 0;
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 2px 16px;
}
.levels .wide {
  grid-column: 1 / -1;
}
.levels > span {
  display: flex;
  gap: 6px;
  white-space: nowrap;
  align-items: baseline;
}
.levels .figure {
  margin-left: auto;
}
.member {
  display: flex;
  gap: 10px;
}
.member .figure {
  margin-left: auto;
}
.volume {
  display: grid;
  grid-template-columns: 36px 112px auto 1fr;
  gap: 8px;
  align-items: center;
}
</style>
