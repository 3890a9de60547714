<script setup lang="ts">
import { useDropZone } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas, upload } from '../api/client'
import { said } from '../api/diagnostics'
import { count, day } from '../api/words'
import FilePick from '../parts/FilePick.vue'

/** A file of set-ups beside what is here, before it is imported. */
const router = useRouter()
const file = ref<File>()
const view = ref<Schemas['MoveView']>()
const sheets = ref<{ id: number; name: string }[]>([])
const sources = ref<Record<string, number | null>>({})
const busy = ref(false)

async function compare(files: File[]) {
  const own = files[0]
  if (!own) return
  busy.value = true
  const got = await attempt(async () => {
    const found = await ask(api.GET('/api/sources'))
    sheets.value = found.flatMap((s) => s.sheets.map((h) => ({ id: h.id, name: `${s.name}, ${h.name}` })))
    return await ask(api.POST('/api/moves/compare', upload([own])))
  })
  busy.value = false
  if (!got) return
  file.value = own
  view.value = got
  sources.value = Object.fromEntries(got.sources.map((one) => [one.dispatch, one.sheet ?? null]))
}
const area = ref<HTMLElement>()
const { isOverDropZone: over } = useDropZone(area, (files) => void compare(files ?? []))
/** A form that comes along brings its own sheet. */
const chosen = computed(() =>
  Object.fromEntries(
    (view.value?.sources ?? [])
      .filter((one) => !(one.form && sources.value[one.dispatch] == null))
      .map((one) => [one.dispatch, sources.value[one.dispatch] ?? null]),
  ),
)
const changed = computed(() => view.value?.items.filter((one) => one.state === 'changed').length ?? 0)
const fresh = computed(() => view.value?.items.filter((one) => one.state === 'new').length ?? 0)

async function take() {
  if (!file.value) return
  busy.value = true
  const query = { choices: JSON.stringify({ sources: chosen.value }) }
  const got = await attempt(() =>
    ask(api.POST('/api/moves/import', { params: { query }, ...upload([file.value as File]) })),
  )
  busy.value = false
  if (!got) return
  ElMessage({ message: `${count(got.dispatches.length, 'dispatch', 'dispatches')} imported` })
  const only = got.dispatches.length === 1 ? got.dispatches[0] : undefined
  await router.push(only ? `/dispatches/${only}` : '/dispatches')
}
const STATES: Record<string, [string, string]> = {
  new: ['att', 'New'],
  changed: ['wrong', 'Replaces'],
  same: ['right', 'Same'],
}
const KINDS: Record<string, string> = {
  dispatch: 'Dispatch',
  template: 'Template',
  clause: 'Clause',
  message: 'Message',
  form: 'Form',
}
</script>

<template>
  <div class="screen">
    <div class="head">
      <h1>Import set-up</h1>
      <span v-if="view" class="quiet"
        >{{ file?.name }}, exported {{ day(view.made) }}{{ view.office ? ` at ${view.office}` : '' }}</span
      >
      <span class="push" />
      <FilePick v-if="view" label="Choose another file" accept=".zip" :busy="busy" @files="compare" />
      <el-button v-if="view" type="primary" :loading="busy" @click="take">Import</el-button>
    </div>
    <div ref="area" class="body" :class="{ over }">
      <div v-if="!view" class="empty">
        <h2>Set-ups from another Mangle</h2>
        <p>
          Drop a set-up file here. You see what is new and what it would replace before anything changes. To
          make such a file, choose “Export set-up” from a dispatch’s menu.
        </p>
        <FilePick label="Choose set-up file" accept=".zip" main :busy="busy" @files="compare" />
      </div>
      <template v-else>
        <p>{{ fresh }} new, {{ changed }} replaced. Nothing changes until you press Import.</p>
        <table class="list">
          <thead>
            <tr>
              <th style="width: 110px">Kind</th>
              <th>Name</th>
              <th style="width: 100px">Here</th>
              <th>What happens</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in view.items" :key="`${one.kind} ${one.key}`">
              <td class="quiet">{{ KINDS[one.kind] ?? one.kind }}</td>
              <td>{{ one.name }}</td>
              <td>
                <span class="say" :class="STATES[one.state]?.[0]">{{ STATES[one.state]?.[1] }}</span>
              </td>
              <td class="quiet" :title="one.note">{{ one.note }}</td>
            </tr>
          </tbody>
        </table>
        <section v-if="view.sources.length" aria-labelledby="records">
          <h2 id="records">Records</h2>
          <div v-for="one in view.sources" :key="one.dispatch" class="field">
            <span>“{{ one.name }}” uses {{ one.source }}{{ one.form ? ', a form' : '' }}</span>
            <el-select
              :model-value="sources[one.dispatch] ?? undefined"
              clearable
              filterable
              :placeholder="one.form ? 'The form that is imported' : 'Choose later'"
              :aria-label="`Records of ${one.name}`"
              @change="(v: number | undefined) => (sources[one.dispatch] = v ?? null)"
            >
              <el-option v-for="sheet in sheets" :key="sheet.id" :value="sheet.id" :label="sheet.name" />
            </el-select>
            <small v-if="one.missing.length && sources[one.dispatch] === one.sheet" class="problem"
              >Columns missing here: {{ one.missing.join(', ') }}</small
            >
          </div>
        </section>
        <section v-if="view.missing.length" aria-labelledby="missing">
          <h2 id="missing">Missing here</h2>
          <ul class="missing">
            <li v-for="(one, at) in view.missing" :key="at">
              <b>{{ one.dispatch }}</b> {{ said(one) }}
            </li>
          </ul>
          <p class="quiet">You can import now and add these afterwards; until then the dispatch can’t run.</p>
        </section>
        <p class="quiet">Triggers of new dispatches are off until you switch them on.</p>
      </template>
    </div>
  </div>
</template>

<style scoped>
.over {
  background: var(--head);
}
section {
  margin-top: 20px;
}
h2 {
  margin-bottom: 8px;
  font-size: 13px;
}
.missing {
  margin: 0 0 8px;
  padding: 0;
  list-style: none;
}
.missing li {
  padding: 3px 0;
}
</style>
