<script setup lang="ts">
import { ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { again, createOne } from '../api/one'
import { clock, day } from '../api/words'
import StateWord from './StateWord.vue'

/** One row with all its values and all that was made of it. */
const props = defineProps<{ sheet: number; row: number; version: unknown; named?: boolean }>()
const emit = defineEmits<{ header: [row: number] }>()
const view = ref<Schemas['RowView']>()
/** The dispatches whose records are of this sheet: each can make this row's document. */
const dispatches = ref<Schemas['DispatchInfo'][]>([])
watch(
  () => props.sheet,
  async (sheet) => {
    const all = (await attempt(() => ask(api.GET('/api/dispatches')))) ?? []
    dispatches.value = all.filter((one) => one.sheet_id === sheet && one.template)
  },
  { immediate: true },
)

const router = useRouter()
const busy = ref('')
/** Creates and sends with what is usual; where something is in the way, the record's screen tells it. */
async function create(key: string) {
  busy.value = key
  const to = await attempt(async () => {
    const params = { path: { key, record: view.value?.key ?? '' } }
    const one = await ask(api.GET('/api/dispatches/{key}/one/{record}', { params }))
    if (!one.selected || one.obstacles.length) return record(key)
    return (await again(one))
      ? createOne(key, one, { hold: false, startKey: crypto.randomUUID() })
      : undefined
  })
  busy.value = ''
  if (to) await router.push(to)
}

/** The record's own screen for a dispatch. */
const record = (key: string) => `/go/${key}/${encodeURIComponent(view.value?.key ?? '')}`
const address = (name: string) => `/api/sheets/${props.sheet}/files/${encodeURIComponent(name)}`

watch(
  () => [props.sheet, props.row, props.version],
  async () => {
    const params = { path: { id: props.sheet, row: props.row } }
    view.value = await attempt(() => ask(api.GET('/api/sheets/{id}/rows/{row}', { params })))
  },
  { immediate: true },
)
</script>

<template>
  <div v-if="view" class="panel-body row">
    <h3>{{ view.label }}, row {{ view.number }}</h3>
    <h4>Documents</h4>
    <table v-if="view.documents.length" aria-label="Documents of this row">
      <tbody>
        <tr v-for="one in view.documents" :key="one.item">
          <td>
            <a
              class="document"
              :href="one.document ? `/api/documents/${one.document}` : undefined"
              target="_blank"
              >{{ one.file_name || one.dispatch }}</a
            >
            <div class="quiet">
              {{ one.dispatch }}<template v-if="one.kind === 'proof'">, proof</template>,
              <RouterLink :to="`/runs/${one.run}`">run {{ one.run }}</RouterLink>
            </div>
            <div v-if="one.error" class="problem">{{ one.error }}</div>
          </td>
          <td class="when">
            <StateWord :state="one.state" />
            <div class="quiet">{{ day(one.changed) }}, {{ clock(one.changed) }}</div>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else class="quiet">No documents for this row yet.</p>
    <p v-if="dispatches.length" class="create">
      Create:
      <span v-for="one in dispatches" :key="one.key" class="one">
        <RouterLink :to="record(one.key)">{{ one.name }}</RouterLink>
        <el-button
          v-if="one.without_questions"
          size="small"
          :loading="busy === one.key"
          :disabled="!!busy"
          @click="create(one.key)"
          >Create and send</el-button
        >
      </span>
    </p>
    <template v-if="view.corrections.length">
      <h4>Change history</h4>
      <table aria-label="Change history of this row">
        <tbody>
          <tr v-for="(one, index) in view.corrections" :key="index">
            <td>
              {{ one.column }}: <s>{{ one.before || 'blank' }}</s> {{ one.after || 'blank' }}
            </td>
            <td class="when quiet">{{ day(one.at) }}, {{ clock(one.at) }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <h4>Values</h4>
    <table aria-label="Values of this row">
      <tbody>
        <tr v-for="cell in view.cells" :key="cell.column">
          <td class="quiet">{{ cell.column }}</td>
          <td :class="{ problem: cell.wrong }" :title="cell.wrong ?? undefined">
            <span class="text">{{ cell.text }}</span><template v-if="cell.wrong">, {{ cell.wrong }}</template>
            <a v-for="file in cell.files" :key="file.name" :href="address(file.name)" target="_blank">
              <img v-if="file.picture" :src="`${address(file.name)}?small=true`" :alt="file.name" />
              <template v-else>open</template>
            </a>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="named" class="quiet">
      Does this row contain the column names?
      <el-button @click="emit('header', view.number)">Use row {{ view.number }} as header</el-button>
    </p>
  </div>
</template>

<style scoped>
.create {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
}
.one {
  display: inline-flex;
  align-items: center;
  gap: 8px;
}
.document {
  display: inline-block;
  line-height: 24px;
}
h3 {
  margin: 0;
  font-size: 13px;
}
h4 {
  margin: 6px 0 -4px;
  font-size: 12px;
  color: var(--ink-2);
}
.text {
  white-space: pre-line;
  overflow-wrap: anywhere;
}
img {
  display: block;
  max-width: 160px;
  max-height: 120px;
  margin-top: 4px;
}
.when {
  text-align: right;
  white-space: nowrap;
}
</style>
