<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import type { Sheet } from '../api/sheet'
import { count } from '../api/words'

/** How a sheet hangs together with others, and what does not fit. */
const props = defineProps<{ it: Sheet }>()
const info = computed(() => props.it.sheet.value)
const checks = ref<Record<number, Schemas['RelationCheck']>>({})
const adding = ref(false)
const nothing = () => ({
  key: '',
  other: undefined as number | undefined,
  other_key: '',
  one_name: '',
  many_name: '',
})
const wish = ref(nothing())

const others = computed(() =>
  props.it.sources.value.flatMap((source) =>
    source.sheets
      .filter((sheet) => sheet.id !== info.value?.id)
      .map((sheet) => ({ sheet, label: `${source.name}, ${sheet.name}` })),
  ),
)
const other = computed(() => others.value.find((o) => o.sheet.id === wish.value.other)?.sheet)

async function check() {
  checks.value = {}
  for (const { relation } of info.value?.related ?? []) {
    const found = await attempt(() =>
      ask(api.GET('/api/relations/{id}', { params: { path: { id: relation } } })),
    )
    if (found) checks.value[relation] = found
  }
}
watch(() => [info.value?.id, info.value?.related.length, props.it.version.value], check, { immediate: true })

/** Offers the column of the other that is called like the key, and names for both sides. */
function suggest() {
  const folded = (text: string) => text.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '')
  const key = wish.value.key
  const same = other.value?.columns.find((c) => folded(c.name) === folded(key))
  wish.value.other_key ||= same?.name ?? other.value?.columns[0]?.name ?? ''
  wish.value.many_name ||= info.value?.name ?? ''
  wish.value.one_name ||= (other.value?.name ?? '').replace(/s$/, '')
}
watch(() => [wish.value.key, wish.value.other], suggest)

async function add() {
  const params = { path: { id: info.value?.id ?? 0 } }
  const done = await attempt(() =>
    ask(
      api.POST('/api/sheets/{id}/relations', {
        params,
        body: { ...wish.value, other: wish.value.other ?? 0 },
      }),
    ),
  )
  if (!done) return
  adding.value = false
  wish.value = nothing()
  await attempt(props.it.load)
}

async function drop(relation: number) {
  await attempt(() => ask(api.DELETE('/api/relations/{id}', { params: { path: { id: relation } } })))
  await attempt(props.it.load)
}
</script>

<template>
  <div class="panel-body relations" @keydown.stop>
    <article v-for="one in info?.related" :key="one.relation">
      <h3>{{ one.name }}</h3>
      <p>
        {{ one.many ? 'All rows' : 'Row' }} of
        <RouterLink :to="`/sheets/${one.other}/relations`">{{ one.other_name }}</RouterLink> whose
        <b>{{ one.other_key }}</b> is this row’s <b>{{ one.key }}</b>
      </p>
      <p v-if="checks[one.relation]" class="fit">
        <span v-if="checks[one.relation]?.orphan_count" class="problem">
          {{ count(checks[one.relation]?.orphan_count ?? 0, 'row') }} of {{ checks[one.relation]?.many }}
          {{ checks[one.relation]?.orphan_count === 1 ? 'has' : 'have' }} no match:
          <template v-for="(orphan, index) in checks[one.relation]?.orphans.slice(0, 8)" :key="orphan.row"
            ><template v-if="index">, </template
            ><RouterLink :to="`/sheets/${checks[one.relation]?.many_id}/row/${orphan.row}`">{{
              orphan.key
            }}</RouterLink></template
          >
        </span>
        <span v-if="checks[one.relation]?.duplicate_count" class="problem">
          {{ count(checks[one.relation]?.duplicate_count ?? 0, 'key') }} in
          {{ checks[one.relation]?.one }} duplicated:
          <template v-for="(same, index) in checks[one.relation]?.duplicates.slice(0, 8)" :key="same.row"
            ><template v-if="index">, </template
            ><RouterLink :to="`/sheets/${checks[one.relation]?.one_id}/row/${same.row}`">{{
              same.key
            }}</RouterLink></template
          >
        </span>
        <span v-if="checks[one.relation]?.blank" class="quiet"
          >{{ count(checks[one.relation]?.blank ?? 0, 'row') }} without a key</span
        >
        <span
          v-if="
            !checks[one.relation]?.orphan_count &&
            !checks[one.relation]?.duplicate_count &&
            !checks[one.relation]?.blank
          "
          class="right"
          >every row has a match</span
        >
      </p>
      <el-button text @click="drop(one.relation)">Remove relation</el-button>
    </article>
    <p v-if="!info?.related.length && !adding" class="quiet">
      Link rows of one sheet to a row of another: invoices to a customer, lines to an invoice. In a template,
      write <span class="code">[:repeat for invoices]</span>.
    </p>
    <el-button v-if="!adding" :disabled="!others.length" @click="adding = true">Add relation</el-button>
    <p v-if="!others.length" class="quiet">Import the other sheet first.</p>
    <form v-if="adding" class="new" @submit.prevent="add">
      <label class="field-label"
        >Column in this sheet<el-select
          v-model="wish.key"
          aria-label="Column in this sheet"
          placeholder="Choose a column"
        >
          <el-option v-for="c in info?.columns" :key="c.name" :value="c.name" :label="c.name" /> </el-select
      ></label>
      <label class="field-label"
        >Related sheet<el-select v-model="wish.other" aria-label="Related sheet" placeholder="Choose a sheet">
          <el-option v-for="o in others" :key="o.sheet.id" :value="o.sheet.id" :label="o.label" /> </el-select
      ></label>
      <label class="field-label"
        >Matching column there<el-select
          v-model="wish.other_key"
          aria-label="Matching column there"
          placeholder="Choose a column"
        >
          <el-option v-for="c in other?.columns" :key="c.name" :value="c.name" :label="c.name" /> </el-select
      ></label>
      <label class="field-label"
        >Name in this sheet (one)<el-input
          v-model="wish.one_name"
          aria-label="Name in this sheet (one)"
          placeholder="e.g. holder"
      /></label>
      <label class="field-label"
        >Name in the related sheet (many)<el-input
          v-model="wish.many_name"
          aria-label="Name in the related sheet (many)"
          placeholder="e.g. invoices"
      /></label>
      <div class="doing">
        <el-button
          type="primary"
          native-type="submit"
          :disabled="!wish.key || !wish.other || !wish.other_key || !wish.one_name || !wish.many_name"
          >Add relation</el-button
        >
        <el-button @click="adding = false">Cancel</el-button>
      </div>
    </form>
  </div>
</template>

<style scoped>
.relations {
  justify-items: start;
}
.new {
  display: grid;
  gap: 10px;
  width: 100%;
}
article {
  border-bottom: 1px solid var(--line);
  padding-bottom: 8px;
}
h3 {
  margin: 0 0 2px;
  font-size: 13px;
}
.fit span {
  display: block;
}
</style>
