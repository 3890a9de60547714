<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import { count, moment } from '../api/words'

/** A person's data, wherever it is: found, and erased on request. */
const text = ref('')
const found = ref<Schemas['PersonFound']>()
const rows = ref(new Set<string>())
const items = ref(new Set<number>())
const note = ref('')
const busy = ref(false)
const entries = ref<Schemas['ErasureInfo'][]>([])

const load = () => attempt(async () => (entries.value = await ask(api.GET('/api/erasures'))))
onMounted(load)

async function find() {
  busy.value = true
  const got = await attempt(() => ask(api.POST('/api/persons', { body: { text: text.value } })))
  busy.value = false
  if (!got) return
  found.value = got
  rows.value = new Set()
  items.value = new Set()
}
const keyOf = (one: Schemas['PersonRow']) => `${one.sheet} ${one.row}`
const there = computed(() => found.value?.documents.filter((one) => !one.removed) ?? [])
const all = computed(() => (found.value?.rows.length ?? 0) + there.value.length)
const chosen = computed(() => rows.value.size + items.value.size)
function toggle<T>(set: Set<T>, key: T): Set<T> {
  const own = new Set(set)
  if (!own.delete(key)) own.add(key)
  return own
}
function selectAll() {
  const whole = chosen.value < all.value
  rows.value = new Set(whole ? found.value?.rows.map(keyOf) : [])
  items.value = new Set(whole ? there.value.map((one) => one.item) : [])
}

async function erase() {
  const what = [
    rows.value.size ? count(rows.value.size, 'row') : '',
    items.value.size ? `${count(items.value.size, 'document')} with deliveries, signatures and history` : '',
  ]
  const question = `Erase ${what.filter(Boolean).join(' and ')}? They are gone for good, share links stop working, and the undo history of the sheets is cleared.`
  const act = `Erase ${count(chosen.value, 'entry', 'entries')}`
  if (!(await confirmed({ title: 'Erase personal data', text: question, act, destroys: true }))) return
  busy.value = true
  const body = {
    rows: [...rows.value].map((key) => key.split(' ').map(Number) as [number, number]),
    items: [...items.value],
    note: note.value,
  }
  const done = await attempt(() => ask(api.POST('/api/erasures', { body })))
  busy.value = false
  if (!done) return
  ElMessage({ message: `Erased. Entry ${done.id} was added to the erasure log.` })
  note.value = ''
  await Promise.all([find(), load()])
}
const sum = (counts: Record<string, number>) => Object.values(counts).reduce((a, b) => a + b, 0)
const listed = (counts: Record<string, number>) =>
  Object.entries(counts)
    .map(([name, number]) => `${name}: ${number}`)
    .join(', ')
</script>

<template>
  <div class="screen">
    <div class="head">
      <h1>Personal data</h1>
      <span class="quiet">Find what is stored about a person, and erase it on request</span>
    </div>
    <div class="body">
      <form class="ask" @submit.prevent="find">
        <el-input v-model="text" aria-label="Person" placeholder="E-mail address, name or number" />
        <el-button native-type="submit" :loading="busy && !found" :disabled="text.trim().length < 3"
          >Find</el-button
        >
      </form>
      <template v-if="found">
        <p v-if="!all && !found.elsewhere.length" role="status">Nothing is stored about “{{ text }}”.</p>
        <template v-else>
          <p class="bar" role="status">
            {{ count(found.rows.length, 'row') }}, {{ count(found.documents.length, 'document')
            }}{{ found.more ? ' and more: erase these first, then search again' : '' }}
            <el-button v-if="all" text @click="selectAll">{{
              chosen < all ? 'Select all' : 'Select none'
            }}</el-button>
          </p>
          <table v-if="found.rows.length" class="list">
            <thead>
              <tr>
                <th style="width: 44px"><span class="unseen">Select</span></th>
                <th style="width: 260px">Row</th>
                <th style="width: 220px">Source</th>
                <th>Found in</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="one in found.rows" :key="keyOf(one)">
                <td>
                  <input
                    type="checkbox"
                    :checked="rows.has(keyOf(one))"
                    :aria-label="`Select row ${one.row} of ${one.source}`"
                    @change="rows = toggle(rows, keyOf(one))"
                  />
                </td>
                <td>
                  <RouterLink :to="`/sheets/${one.sheet}/row/${one.row}`"
                    >{{ one.label }}, row {{ one.row }}</RouterLink
                  >
                </td>
                <td>{{ one.source }}</td>
                <td class="quiet">{{ one.cells.join(' · ') }}</td>
              </tr>
            </tbody>
          </table>
          <table v-if="there.length" class="list">
            <thead>
              <tr>
                <th style="width: 44px"><span class="unseen">Select</span></th>
                <th style="width: 260px">Document</th>
                <th style="width: 220px">Dispatch</th>
                <th>Recipients</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="one in there" :key="one.item">
                <td>
                  <input
                    type="checkbox"
                    :checked="items.has(one.item)"
                    :aria-label="`Select ${one.file_name}`"
                    @change="items = toggle(items, one.item)"
                  />
                </td>
                <td>
                  <RouterLink :to="`/documents/${one.item}`">{{ one.file_name }}</RouterLink>
                </td>
                <td>{{ one.dispatch_name }}</td>
                <td class="quiet">{{ one.recipients }}</td>
              </tr>
            </tbody>
          </table>
          <template v-if="found.elsewhere.length">
            <h2>To do by hand</h2>
            <ul class="by-hand">
              <li v-for="one in found.elsewhere" :key="`${one.to} ${one.name}`">
                <RouterLink :to="one.to">{{ one.name }}</RouterLink> <span class="quiet">{{ one.what }}</span>
              </li>
            </ul>
          </template>
          <form v-if="all" class="ask" @submit.prevent="erase">
            <el-input v-model="note" aria-label="Note" placeholder="Note, e.g. the number of the request" />
            <el-button native-type="submit" class="destroys" :disabled="!chosen" :loading="busy"
              >Erase {{ count(chosen, 'entry', 'entries') }}…</el-button
            >
          </form>
        </template>
      </template>
      <section aria-labelledby="log">
        <h2 id="log">Erasure log</h2>
        <table v-if="entries.length" class="list">
          <thead>
            <tr>
              <th style="width: 60px">No.</th>
              <th style="width: 130px">Erased</th>
              <th style="width: 240px">Note</th>
              <th>What</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in entries" :key="one.id">
              <td>{{ one.id }}</td>
              <td>{{ moment(one.at) }}</td>
              <td>{{ one.note }}</td>
              <td
                class="quiet"
                :title="[listed(one.erased.rows), listed(one.erased.documents)].filter(Boolean).join('\n')"
              >
                {{ count(sum(one.erased.rows), 'row') }}, {{ count(sum(one.erased.documents), 'document') }}
              </td>
            </tr>
          </tbody>
        </table>
        <p v-else class="quiet">Nothing was erased yet. The log says how much was erased, not what it was.</p>
      </section>
    </div>
  </div>
</template>

<style scoped>
.ask {
  display: flex;
  gap: 8px;
  max-width: 560px;
  margin-bottom: 12px;
}
.bar {
  display: flex;
  gap: 8px;
  align-items: center;
}
table {
  margin-bottom: 16px;
}
h2 {
  margin: 18px 0 6px;
  font-size: 13px;
}
.by-hand {
  margin: 0 0 12px;
  padding: 0;
  list-style: none;
}
.by-hand li {
  padding: 3px 0;
}
</style>
