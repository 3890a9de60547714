<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas, upload } from '../api/client'
import type { Sheet } from '../api/sheet'
import { count, DATA_FILES } from '../api/words'
import FilePick from './FilePick.vue'

/** A newer file beside the sheet: what it adds, changes and no longer has. */
const props = defineProps<{ it: Sheet }>()
const emit = defineEmits<{ close: [] }>()
const id = computed(() => props.it.sheet.value?.id ?? 0)
const taken = ref<Schemas['NewerFile']>()
const key = ref('')
const name = ref('')
const view = ref<Schemas['AgainView']>()
const take = ref({ added: true, changed: true, gone: false })
/** What is left as it is all the same: rows by number, new ones by their place. */
const leave = ref({ added: new Set<number>(), changed: new Set<number>(), gone: new Set<number>() })
const busy = ref(false)

async function bring(files: File[]) {
  busy.value = true
  const params = { path: { id: id.value } }
  taken.value = await attempt(() =>
    ask(api.POST('/api/sheets/{id}/newer', { params, ...upload(files.slice(0, 1)) })),
  )
  busy.value = false
  key.value = taken.value?.keys[0] ?? ''
  name.value = taken.value?.sheet ?? ''
}

const newer = () => ({
  file: taken.value?.file ?? '',
  name: taken.value?.name ?? '',
  sheet: name.value,
  key: key.value,
})

watch([key, name, taken], async () => {
  view.value = undefined
  leave.value = { added: new Set(), changed: new Set(), gone: new Set() }
  if (!taken.value || !key.value) return
  const params = { path: { id: id.value }, query: newer() }
  view.value = await attempt(() => ask(api.GET('/api/sheets/{id}/newer', { params })))
})

type Part = keyof typeof take.value
const taking = (part: Part) =>
  take.value[part] ? (view.value?.[`${part}_count`] ?? 0) - leave.value[part].size : 0
const changes = computed(() => taking('added') + taking('changed') + taking('gone'))
function set(part: Part, row: number, taken: boolean) {
  if (taken) leave.value[part].delete(row)
  else leave.value[part].add(row)
}

async function apply() {
  busy.value = true
  const params = { path: { id: id.value } }
  const left = leave.value
  const body = {
    ...newer(),
    ...take.value,
    leave: { added: [...left.added], changed: [...left.changed], gone: [...left.gone] },
  }
  const done = await attempt(() => ask(api.POST('/api/sheets/{id}/newer/apply', { params, body })))
  busy.value = false
  if (!done) return
  ElMessage({ message: `${count(changes.value, 'row')} updated. You can undo this.` })
  await attempt(props.it.load)
  emit('close')
}
</script>

<template>
  <div class="panel-body newer" @keydown.stop>
    <template v-if="!taken">
      <p>
        Compare a newer file with this sheet and choose which changes to apply. Computed columns, filters and
        documents are not affected.
      </p>
      <FilePick label="Choose file" :accept="DATA_FILES" main :busy="busy" @files="bring" />
    </template>
    <template v-else>
      <label v-if="taken.sheets.length > 1" class="field-label"
        >Sheet<el-select v-model="name" aria-label="Sheet of the newer file">
          <el-option v-for="one in taken.sheets" :key="one" :value="one" :label="one" /> </el-select
      ></label>
      <label class="field-label"
        >Match rows by<el-select v-model="key" aria-label="Match rows by">
          <el-option v-for="one in taken.keys" :key="one" :value="one" :label="one" /> </el-select
      ></label>
      <template v-if="view">
        <p v-if="view.new_columns.length">New columns: {{ view.new_columns.join(', ') }}</p>
        <p v-if="view.kept_columns.length" class="quiet">
          Not in the file, left unchanged: {{ view.kept_columns.join(', ') }}
        </p>
        <p class="quiet">{{ count(view.same, 'row') }} unchanged</p>
        <section v-if="view.changed_count">
          <el-checkbox v-model="take.changed">Update {{ count(view.changed_count, 'row') }}</el-checkbox>
          <table aria-label="Changed rows">
            <tbody v-for="row in view.changed" :key="row.number">
              <tr>
                <th colspan="2">
                  <el-checkbox
                    :model-value="take.changed && !leave.changed.has(row.number)"
                    :disabled="!take.changed"
                    @update:model-value="set('changed', row.number, !!$event)"
                    >{{ row.label }}, row {{ row.number }}</el-checkbox
                  >
                </th>
              </tr>
              <tr v-for="(cell, at) in row.cells" :key="at">
                <td class="quiet name">{{ cell.column }}</td>
                <td>
                  <del v-if="cell.old">{{ cell.old }}</del> <ins>{{ cell.new || 'blank' }}</ins>
                </td>
              </tr>
            </tbody>
          </table>
        </section>
        <section v-if="view.added_count">
          <el-checkbox v-model="take.added">Add {{ count(view.added_count, 'row') }}</el-checkbox>
          <table aria-label="New rows">
            <tbody>
              <tr v-for="(row, at) in view.added.slice(0, 100)" :key="at">
                <td>
                  <el-checkbox
                    :model-value="take.added && !leave.added.has(at)"
                    :disabled="!take.added"
                    @update:model-value="set('added', at, !!$event)"
                    >{{ row.filter(Boolean).slice(0, 4).join(', ') }}</el-checkbox
                  >
                </td>
              </tr>
            </tbody>
          </table>
        </section>
        <section v-if="view.gone_count">
          <el-checkbox v-model="take.gone"
            >Delete {{ count(view.gone_count, 'row') }} not in the file</el-checkbox
          >
          <table aria-label="Rows missing from the file">
            <tbody>
              <tr v-for="row in view.gone.slice(0, 100)" :key="row.number">
                <td>
                  <el-checkbox
                    :model-value="take.gone && !leave.gone.has(row.number)"
                    :disabled="!take.gone"
                    @update:model-value="set('gone', row.number, !!$event)"
                    >{{ row.label }}, row {{ row.number }}</el-checkbox
                  >
                </td>
              </tr>
            </tbody>
          </table>
        </section>
        <div class="doing">
          <el-button
            type="primary"
            :loading="busy"
            :disabled="!changes && !view.new_columns.length"
            @click="apply"
            >Update {{ count(changes, 'row') }}</el-button
          >
          <el-button @click="emit('close')">Cancel</el-button>
        </div>
      </template>
    </template>
  </div>
</template>

<style scoped>
.newer {
  justify-items: start;
}
section {
  width: 100%;
}
th {
  padding: 6px 0 2px;
  text-align: left;
  font-weight: 600;
}
td.name {
  width: 110px;
}
table :deep(.el-checkbox) {
  height: auto;
  min-height: 24px;
  white-space: normal;
}
</style>
