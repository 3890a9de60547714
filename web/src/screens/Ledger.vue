<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, ask, attempt, save, type Schemas } from '../api/client'
import { count, day, grouped, shortDay, span } from '../api/words'
import DayRange from '../parts/DayRange.vue'
import LedgerChart from '../parts/LedgerChart.vue'

/** What was made, delivered and failed over time. */
type By = Schemas['Period']
type Of = Schemas['Dimension']
const route = useRoute()
const router = useRouter()
const ledger = ref<Schemas['Ledger']>()
const asked = computed(() => ({
  from: String(route.query.from ?? ''),
  to: String(route.query.to ?? ''),
  by: String(route.query.by ?? 'day') as By,
  of: String(route.query.of ?? 'dispatch') as Of,
}))
const go = (part: Record<string, string>) =>
  router.replace({ path: '/ledger', query: { ...route.query, ...part } })

let turn = 0
async function load() {
  const mine = ++turn
  const got = await attempt(() => ask(api.GET('/api/ledger', { params: { query: asked.value } })))
  if (got && mine === turn) ledger.value = got
}
onMounted(load)
watch(asked, load)

const today = computed(() => new Date(`${ledger.value?.today ?? '2026-01-01'}T00:00:00Z`))
/** A month, by its distance from this one. */
function month(back: number) {
  const now = today.value
  const first = new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth() - back, 1))
  const last = new Date(Date.UTC(first.getUTCFullYear(), first.getUTCMonth() + 1, 0))
  return { from: first.toISOString().slice(0, 10), to: last.toISOString().slice(0, 10), by: 'day' }
}
const year = () => {
  const now = today.value.getUTCFullYear()
  return { from: `${now}-01-01`, to: `${now}-12-31`, by: 'month' }
}
const query = computed(() => new URLSearchParams(asked.value).toString())
const NAMES: Record<Of, string> = { dispatch: 'Dispatch', template: 'Template', channel: 'Channel' }
const periodName = (begins: string) =>
  asked.value.by === 'month'
    ? new Intl.DateTimeFormat('en-GB', { month: 'long', year: 'numeric', timeZone: 'UTC' }).format(
        new Date(`${begins}T00:00:00Z`),
      )
    : asked.value.by === 'week'
      ? `Week of ${shortDay(begins)}`
      : day(begins)
const told = computed(
  () => ledger.value?.periods.filter((p) => p.documents + p.delivered + p.failed + p.proofs) ?? [],
)
const cells = computed(() => {
  const all = ledger.value?.all
  if (!all) return []
  return [
    ['Documents', grouped(all.documents)],
    ['Pages', grouped(all.pages)],
    ['Deliveries', grouped(all.delivered)],
    ['Failed', grouped(all.failed)],
    ['Proofs', grouped(all.proofs)],
    ['Time to create', span(all.took / 1000)],
  ] as const
})
</script>

<template>
  <div class="screen">
    <div class="head">
      <h1>Ledger</h1>
      <span v-if="ledger" class="quiet">{{ day(ledger.from) }} to {{ day(ledger.to) }}</span>
      <span class="push" />
      <el-button @click="go(month(0))">This month</el-button>
      <el-button @click="go(month(1))">Last month</el-button>
      <el-button @click="go(year())">This year</el-button>
    </div>
    <div class="filter-row">
      <DayRange :from="ledger?.from" :to="ledger?.to" @change="go" />
      <el-radio-group :model-value="asked.by" aria-label="By" @change="(v) => go({ by: String(v) })">
        <el-radio-button value="day">Day</el-radio-button>
        <el-radio-button value="week">Week</el-radio-button>
        <el-radio-button value="month">Month</el-radio-button>
      </el-radio-group>
    </div>
    <div v-if="ledger" class="body" tabindex="0" aria-label="Figures">
      <dl class="all">
        <div v-for="[name, value] in cells" :key="name">
          <dt>{{ name }}</dt>
          <dd>{{ value }}</dd>
        </div>
      </dl>
      <template v-if="told.length">
        <LedgerChart :periods="ledger.periods" :name="periodName" />
        <div class="tables">
          <section aria-labelledby="by-what">
            <div class="over">
              <h2 id="by-what">By {{ NAMES[asked.of].toLowerCase() }}</h2>
              <el-radio-group :model-value="asked.of" aria-label="Of" @change="(v) => go({ of: String(v) })">
                <el-radio-button v-for="(name, key) in NAMES" :key="key" :value="key">{{
                  name
                }}</el-radio-button>
              </el-radio-group>
              <span class="push" />
              <el-button text @click="attempt(() => save(`/api/ledger.csv?${query}&table=rows`))"
                >CSV</el-button
              >
            </div>
            <table class="list">
              <thead>
                <tr>
                  <th>{{ NAMES[asked.of] }}</th>
                  <template v-if="asked.of !== 'channel'">
                    <th class="num" style="width: 90px">Documents</th>
                    <th class="num" style="width: 70px">Pages</th>
                  </template>
                  <th class="num" style="width: 90px">Delivered</th>
                  <th class="num" style="width: 70px">Failed</th>
                  <th v-if="asked.of === 'dispatch'" class="num" style="width: 130px">Monthly limit</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="row in ledger.rows" :key="row.key">
                  <td>
                    <RouterLink v-if="asked.of === 'dispatch'" :to="`/documents?dispatch=${row.key}`">{{
                      row.name
                    }}</RouterLink>
                    <template v-else>{{ row.name }}</template>
                  </td>
                  <template v-if="asked.of !== 'channel'">
                    <td class="num">{{ grouped(row.documents) }}</td>
                    <td class="num">{{ grouped(row.pages) }}</td>
                  </template>
                  <td class="num">{{ grouped(row.delivered) }}</td>
                  <td class="num" :class="{ wrong: row.failed }">{{ grouped(row.failed) }}</td>
                  <td v-if="asked.of === 'dispatch'" class="num">
                    <span
                      v-if="row.monthly_limit != null"
                      :class="(row.this_month ?? 0) > row.monthly_limit ? 'say wrong' : 'quiet'"
                      >{{ grouped(row.this_month ?? 0) }} of {{ grouped(row.monthly_limit) }}</span
                    >
                  </td>
                </tr>
              </tbody>
            </table>
          </section>
          <section aria-labelledby="by-time">
            <div class="over">
              <h2 id="by-time">By {{ asked.by }}</h2>
              <span class="push" />
              <el-button text @click="attempt(() => save(`/api/ledger.csv?${query}&table=periods`))"
                >CSV</el-button
              >
            </div>
            <table class="list">
              <thead>
                <tr>
                  <th>{{ asked.by === 'day' ? 'Day' : asked.by === 'week' ? 'Week' : 'Month' }}</th>
                  <th class="num">Documents</th>
                  <th class="num">Delivered</th>
                  <th class="num">Failed</th>
                  <th class="num">Proofs</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="one in told" :key="one.begins">
                  <td>{{ periodName(one.begins) }}</td>
                  <td class="num">{{ grouped(one.documents) }}</td>
                  <td class="num">{{ grouped(one.delivered) }}</td>
                  <td class="num" :class="{ wrong: one.failed }">{{ grouped(one.failed) }}</td>
                  <td class="num">{{ grouped(one.proofs) }}</td>
                </tr>
              </tbody>
            </table>
          </section>
        </div>
        <section v-if="ledger.failures.length" aria-labelledby="why">
          <h2 id="why" class="why">What failed most</h2>
          <ul class="faults">
            <li v-for="one in ledger.failures" :key="one.code">
              <b>{{ grouped(one.count) }}</b> {{ one.message }}
              <RouterLink :to="`/runs/${one.run}?state=failed`"
                >{{ one.dispatch }}, run {{ one.run }}</RouterLink
              >
            </li>
          </ul>
        </section>
      </template>
      <div v-else class="empty">
        <h2>Nothing in this time</h2>
        <p>No document was created between {{ day(ledger.from) }} and {{ day(ledger.to) }}.</p>
        <el-button @click="go(year())">Show {{ count(12, 'month') }}</el-button>
      </div>
    </div>
  </div>
</template>

<style scoped>
.all {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 36px;
  margin: 0 0 10px;
}
dt {
  font-size: 12px;
  color: var(--ink-2);
}
dd {
  margin: 0;
  font-size: 16px;
  font-weight: 600;
  font-variant-numeric: tabular-nums;
}
.tables {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 28px;
}
@media (max-width: 1000px) {
  .tables {
    grid-template-columns: minmax(0, 1fr);
  }
}
.over {
  display: flex;
  gap: 12px;
  align-items: center;
  min-height: 32px;
}
h2 {
  font-size: 13px;
}
.wrong {
  color: var(--wrong);
}
.why {
  margin: 18px 0 6px;
}
.faults li {
  padding: 2px 0;
}
</style>
