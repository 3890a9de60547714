<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { useRuns } from '../api/runs'
import { count, shortDay } from '../api/words'
import CountersignDialog from '../parts/CountersignDialog.vue'
import RoundPanel from '../parts/RoundPanel.vue'
import StateWord from '../parts/StateWord.vue'

type Round = Schemas['RoundInfo']
const route = useRoute()
const router = useRouter()
const runs = useRuns()
const rounds = ref<Round[]>()
const chosen = ref(new Set<number>())
const signing = ref(false)
const person = ref('')

const run = computed(() => Number(route.query.run) || undefined)
const state = computed(() => String(route.query.state ?? 'open'))
const open = computed(() => Number(route.query.round) || undefined)

async function load() {
  const query = { run: run.value }
  const found = await attempt(() => ask(api.GET('/api/rounds', { params: { query } })))
  if (!found) return
  rounds.value = found
  chosen.value = new Set([...chosen.value].filter((id) => found.some((one) => one.id === id)))
}
const soon = useDebounceFn(() => load(), 400, { maxWait: 2000 })
onMounted(async () => {
  await load()
  const settings = await attempt(() => ask(api.GET('/api/settings')))
  person.value = settings?.person_name ?? ''
})
watch(run, load)
// A run tells of every change of its rounds.
watch(() => runs.runs, soon, { deep: true })

const mine = (one: Round) =>
  one.state === 'open' && one.signers.some((s) => s.ours && (s.state === 'invited' || s.state === 'opened'))
const TABS = [
  ['open', 'Open'],
  ['mine', 'My turn'],
  ['sealing', 'Sealing'],
  ['completed', 'Completed'],
  ['declined', 'Declined'],
  ['expired', 'Expired'],
  ['withdrawn', 'Withdrawn'],
  ['all', 'All'],
] as const
const of = (tab: string) =>
  (rounds.value ?? []).filter((one) => tab === 'all' || (tab === 'mine' ? mine(one) : one.state === tab))
const shown = computed(() => {
  const found = of(state.value)
  return state.value === 'open' ? [...found].sort((a, b) => b.waiting_days - a.waiting_days) : found
})
const selected = computed(() => shown.value.filter((one) => chosen.value.has(one.id)))
const signable = computed(() => selected.value.filter(mine))
const remindable = computed(() => selected.value.filter((one) => one.state === 'open'))

const turn = (one: Round) =>
  one.signers.filter((s) => s.state === 'invited' || s.state === 'opened').map((s) => s.name)
const far = (one: Round) => {
  const roles = new Set(one.signers.map((s) => s.role))
  const done = new Set(one.signers.filter((s) => s.state === 'signed').map((s) => s.role))
  return `${done.size} of ${roles.size}`
}
const troubled = (one: Round) => one.signers.some((s) => s.trouble && s.state !== 'signed')

function toggle(id: number) {
  const own = new Set(chosen.value)
  if (!own.delete(id)) own.add(id)
  chosen.value = own
}
const all = computed(() => shown.value.length > 0 && shown.value.every((one) => chosen.value.has(one.id)))
const toggleAll = () => (chosen.value = new Set(all.value ? [] : shown.value.map((one) => one.id)))

const go = (query: Record<string, string | undefined>) =>
  router.replace({ path: '/signing', query: { ...route.query, ...query } })

async function remind() {
  const body = { rounds: remindable.value.map((one) => one.id) }
  const acted = await attempt(() => ask(api.POST('/api/rounds/remind', { body })))
  if (!acted) return
  ElMessage({ message: `Signers of ${count(acted.done, 'document')} reminded` })
  await load()
}
async function signed() {
  chosen.value = new Set()
  await load()
}
const revision = computed(() => rounds.value?.find((one) => one.id === open.value)?.changed ?? '')
</script>

<template>
  <div class="screen">
    <div class="head">
      <h1>Signing</h1>
      <span v-if="run" class="quiet"
        >Run {{ run }} <a href="#" @click.prevent="go({ run: undefined })">Show all</a></span
      >
      <span class="push" />
      <RouterLink to="/verify">Verify a PDF</RouterLink>
      <el-button :disabled="!remindable.length" @click="remind"
        >Remind{{ remindable.length ? ` ${remindable.length}` : '' }}</el-button
      >
      <el-button type="primary" :disabled="!signable.length" @click="signing = true">{{
        signable.length ? `Sign ${count(signable.length, 'document')}` : 'Sign'
      }}</el-button>
    </div>
    <div class="tabs" role="group" aria-label="State">
      <button
        v-for="[key, name] in TABS"
        :key="key"
        type="button"
        :aria-pressed="state === key"
        @click="go({ state: key })"
      >
        {{ name }} <span class="quiet">{{ of(key).length }}</span>
      </button>
    </div>
    <div class="parts" :class="{ beside: open }">
      <div class="rows" tabindex="0" aria-label="Signing rounds">
        <table v-if="shown.length">
          <thead>
            <tr>
              <th><input type="checkbox" :checked="all" aria-label="Select all" @change="toggleAll" /></th>
              <th>Document</th>
              <th>State</th>
              <th>Signed</th>
              <th>Whose turn</th>
              <th class="num">Days waiting</th>
              <th>Sent</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in shown" :key="one.id" :class="{ here: one.id === open }">
              <td>
                <input
                  type="checkbox"
                  :checked="chosen.has(one.id)"
                  :aria-label="`Select ${one.title}`"
                  @change="toggle(one.id)"
                />
              </td>
              <td>
                <RouterLink :to="{ path: '/signing', query: { ...route.query, round: String(one.id) } }"
                  ><b>{{ one.title }}</b></RouterLink
                >
                <span class="quiet by">{{ one.dispatch }}</span>
              </td>
              <td><StateWord :state="one.state" /></td>
              <td>{{ far(one) }}</td>
              <td>
                {{ turn(one).join(', ') }}
                <span v-if="troubled(one)" class="say wrong">not delivered</span>
              </td>
              <td class="num">{{ one.state === 'open' ? one.waiting_days : '' }}</td>
              <td class="quiet">{{ shortDay(one.begun) }}</td>
            </tr>
          </tbody>
        </table>
        <div v-else-if="rounds" class="empty">
          <h2>{{ rounds.length ? 'No documents here' : 'Nothing to sign yet' }}</h2>
          <p v-if="!rounds.length">
            Switch signing on in a dispatch and run it: each document’s progress is shown here.
          </p>
          <RouterLink v-if="!rounds.length" to="/dispatches">Go to Dispatches</RouterLink>
        </div>
      </div>
      <aside v-if="open" aria-label="Signing round">
        <el-button text class="close" aria-label="Close" @click="go({ round: undefined })">×</el-button>
        <RoundPanel :key="open" :round="open" :revision="revision" @changed="load" />
      </aside>
    </div>
    <CountersignDialog v-model="signing" :rounds="signable" :name="person" @done="signed" />
  </div>
</template>

<style scoped>
.tabs {
  display: flex;
  gap: 2px;
  padding: 4px 12px;
  border-bottom: 1px solid var(--line);
}
.tabs button {
  padding: 4px 10px;
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  border-bottom: 2px solid transparent;
  cursor: pointer;
}
.tabs button[aria-pressed='true'] {
  font-weight: 600;
  border-color: var(--accent);
}
.parts {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
}
.parts.beside {
  grid-template-columns: minmax(0, 1fr) 360px;
}
aside {
  position: relative;
  overflow: auto;
  padding: 10px 14px;
  border-left: 1px solid var(--line);
}
.close {
  position: absolute;
  top: 4px;
  right: 6px;
}
.by {
  margin-left: 8px;
}
tr.here {
  background: var(--sheet);
}
.rows > table > tbody td:nth-child(2) {
  max-width: 340px;
}
</style>
