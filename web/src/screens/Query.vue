<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { attempt } from '../api/client'
import { noPicks, useQuery } from '../api/crm'
import { clock, count, day, grouped } from '../api/words'
import ListAsked from '../parts/ListAsked.vue'
import QueryRow from '../parts/QueryRow.vue'
import SampleTable from '../parts/SampleTable.vue'
import ShapeTree from '../parts/ShapeTree.vue'
import { enter } from '../router'

/** A question to a CRM: what is asked, and at every step a few records of it. */
const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const it = useQuery()
const { info, connection, asks, name, key, sample, problem, trying, fetching, shape, root, changed, going } =
  it
const search = ref('')

watch(
  () => props.id,
  (id) => {
    if (id !== 'new') {
      if (Number(id) !== it.id.value) void enter(() => it.open(Number(id)))
      return
    }
    const from = String(route.query.root ?? '') || undefined
    void attempt(() => it.begin(Number(route.query.connection), from))
  },
  { immediate: true },
)

const difference = computed(() => fetching.value?.difference)
/** Names, and how many more there are. */
const named = (names: string[], all: number) =>
  all > names.length ? `${names.join(', ')} and ${all - names.length} more` : names.join(', ')

async function save() {
  const kept = await it.save()
  if (kept && props.id === 'new') await router.replace(`/queries/${kept.id}`)
}

function setRoot(set: string) {
  if (asks.value) asks.value = { root: set, picks: noPicks(), filter: '', order: '', first: null }
}
</script>

<template>
  <div v-if="asks && shape" class="screen">
    <div class="head">
      <h1 v-if="info">{{ info.name }}</h1>
      <h1 v-else class="unseen">New query</h1>
      <el-input
        v-if="!info"
        v-model="name"
        aria-label="Name"
        placeholder="Source name"
        style="width: 240px"
      />
      <span class="quiet">CRM query on {{ connection?.name }}</span>
      <RouterLink v-if="info?.fetched" :to="`/sheets/${info.sheet_id}`"
        >{{ count(info.records, 'record') }}, fetched {{ day(info.fetched) }},
        {{ clock(info.fetched) }}</RouterLink
      >
      <span class="push" />
      <template v-if="going">
        <span role="status"
          >{{ grouped(fetching?.done ?? 0) }}{{ fetching?.total ? ` of ${grouped(fetching.total)}` : '' }}
          {{ fetching?.state }}</span
        >
        <progress :value="fetching?.done ?? 0" :max="fetching?.total ?? undefined" aria-label="Fetching" />
        <el-button @click="it.stop()">Stop</el-button>
      </template>
      <template v-else>
        <span v-if="fetching?.state === 'stopped'" class="say att">Stopped. Records unchanged.</span>
        <template v-if="info && !changed">
          <el-button @click="it.fetchAgain()">Refresh</el-button>
          <el-button v-if="info.fetched" type="primary" @click="router.push(`/sheets/${info.sheet_id}`)"
            >Open the sheet</el-button
          >
        </template>
        <el-button v-if="changed" type="primary" :disabled="!!sample?.problems.length" @click="save">{{
          sample?.total ? `Save and fetch ${count(sample.total, 'record')}` : 'Save and fetch'
        }}</el-button>
      </template>
    </div>
    <p v-if="fetching && typeof fetching.state === 'object'" class="failed" role="alert">
      Fetching failed. The records were not changed. {{ fetching.state.failed }}
    </p>
    <p v-if="fetching?.state === 'done' && info" class="done" role="status">
      {{ count(fetching.done, 'record') }} fetched.
      <template v-if="difference?.came"> New: {{ named(difference.came_names, difference.came) }}. </template>
      <template v-if="difference?.left">
        No longer there: {{ named(difference.left_names, difference.left) }}.
      </template>
      <template v-if="difference && !difference.came && !difference.left">
        The same records as before.
      </template>
    </p>
    <div class="desk">
      <section class="side" aria-label="Available fields">
        <div class="pick">
          <el-select
            :model-value="asks.root"
            filterable
            aria-label="Entity"
            :disabled="!!info"
            @update:model-value="setRoot"
          >
            <el-option
              v-for="e in shape.entities"
              :key="e.set"
              :value="e.set"
              :label="`${e.label} (${e.set})`"
            />
          </el-select>
          <el-input v-model="search" aria-label="Search fields" placeholder="Search fields" clearable />
        </div>
        <div class="fields">
          <ShapeTree
            v-if="root"
            v-model:picks="asks.picks"
            :shape="shape"
            :entity="root"
            :search="search"
            :depth="0"
          />
        </div>
      </section>
      <section class="asked">
        <!-- A line for the records, and one for each list within them. -->
        <div class="asked-row titles" aria-hidden="true">
          <span>Records</span><span>Filter</span><span>Sort by</span><span>Maximum</span>
        </div>
        <QueryRow
          :title="root?.label ?? ''"
          :filter="asks.filter"
          :order="asks.order"
          :first="asks.first"
          :fields="root?.fields ?? []"
          example='stage = "Quoted"'
          :wrong="{ filter: it.wrong('filter'), order: it.wrong('order') }"
          @change="asks = { ...asks, ...$event }"
        />
        <ListAsked v-model:picks="asks.picks" :way="[]" :wrong="it.wrong" />
        <p v-if="problem || it.wrong('fields') || it.wrong('root')" class="problem" role="alert">
          {{ problem || it.wrong('fields') || it.wrong('root') }}
        </p>
        <div class="found" :class="{ trying }">
          <div v-if="sample?.records.length || key" class="quiet told">
            <span v-if="sample?.records.length"
              >First {{ sample.records.length }} of
              {{ sample.total === null || sample.total === undefined ? 'many' : grouped(sample.total) }}
              records</span
            >
            <label
              >Preview one record (key)
              <el-input v-model="key" aria-label="Preview one record (key)" clearable />
            </label>
            <details v-if="sample?.address">
              <summary>Show request URL</summary>
              <code class="code">{{ sample?.address }}</code>
            </details>
          </div>
          <SampleTable
            v-if="sample?.records.length"
            :columns="sample.columns"
            :records="sample.records"
            @open="key = $event"
          />
          <div v-else-if="sample && !sample.problems.length" class="empty">
            <h2>No records</h2>
            <p>No records match. Change the filter.</p>
          </div>
          <div v-else-if="!asks.picks.fields.length" class="empty">
            <h2>No fields selected</h2>
            <p>
              Select fields on the left to preview the first records. Expand an entry to add related records.
            </p>
          </div>
        </div>
      </section>
    </div>
  </div>
</template>

<style scoped>
.failed {
  margin: 0;
  max-width: none;
  padding: 6px 16px;
  background: var(--wrong-tint);
  color: var(--wrong);
}
.done {
  margin: 0;
  max-width: none;
  padding: 6px 16px;
  background: var(--right-tint);
}
.desk {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 340px minmax(0, 1fr);
}
.side {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-right: 1px solid var(--line);
}
.pick {
  display: grid;
  gap: 6px;
  padding: 10px 12px;
  border-bottom: 1px solid var(--line);
}
.fields {
  overflow: auto;
  padding: 6px 12px 12px 0;
}
.asked {
  display: flex;
  flex-direction: column;
  min-height: 0;
  padding: 10px 16px 0;
}
.asked :deep(.asked-row) {
  display: grid;
  grid-template-columns: minmax(90px, 170px) minmax(0, 1fr) minmax(110px, 190px) 80px;
  gap: 10px;
  align-items: center;
  margin-bottom: 6px;
}
.titles {
  font-size: 12px;
  color: var(--ink-2);
}
.found {
  flex: 1;
  min-height: 0;
  overflow: auto;
  margin: 0 -16px;
  padding: 0 16px 16px;
  border-top: 1px solid var(--line);
}
.told {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: center;
  padding: 6px 0;
}
.told label {
  display: flex;
  gap: 6px;
  align-items: center;
}
.told .el-input {
  width: 140px;
}
.trying {
  opacity: 0.6;
}
.found details {
  display: inline-block;
}
.found code {
  word-break: break-all;
}
@media (max-width: 1100px) {
  .desk {
    grid-template-columns: 270px minmax(0, 1fr);
  }
  .asked :deep(.asked-row) {
    grid-template-columns: minmax(70px, 110px) minmax(100px, 1fr) 116px 56px;
    gap: 6px;
  }
}
</style>
