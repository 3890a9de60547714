<script setup lang="ts">
import { onKeyStroke } from '@vueuse/core'
import { computed, toRef } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt } from '../api/client'
import { told } from '../api/diagnostics'
import { type FieldKind, newField, useForm } from '../api/form'
import { count } from '../api/words'
import FormFieldList from '../parts/FormFieldList.vue'
import FormFieldPanel from '../parts/FormFieldPanel.vue'
import FormLive from '../parts/FormLive.vue'
import FormWords from '../parts/FormWords.vue'
import { enter } from '../router'

const props = defineProps<{ id: string; field?: string }>()
const router = useRouter()
const it = useForm(toRef(() => Number(props.id)))
const { info, draft, saving, history, problems } = it
void enter(it.load)

const STATES: Record<string, [string, string]> = {
  closed: ['Closed', ''],
  open: ['Open', 'right'],
  waiting: ['Scheduled', 'att'],
  over: ['Closed on schedule', 'att'],
  full: ['Closed: answer limit reached', 'att'],
}
const state = computed(() => STATES[info.value?.state ?? 'closed'] ?? ['', ''])
const chosen = computed(() => draft.value?.fields.find((f) => f.id === Number(props.field)))
const address = computed(() => new URL(info.value?.address ?? '', location.origin).href)
const show = (field?: number) => router.replace(`/forms/${props.id}${field ? `/${field}` : ''}`)

function add(kind: FieldKind) {
  const fields = draft.value?.fields
  if (!fields) return
  const made = newField(kind, fields)
  // What is added within rows belongs to them.
  const rows = chosen.value?.kind === 'rows' ? chosen.value.id : (chosen.value?.group ?? 0)
  const alone = ['rows', 'accept', 'file', 'picture', 'signature'].includes(kind)
  if (!alone) made.group = rows
  const at = fields.findIndex((f) => f.id === chosen.value?.id)
  fields.splice(at < 0 ? fields.length : at + 1, 0, made)
  void show(made.id)
}

function drop(id: number) {
  const fields = draft.value?.fields
  if (!fields) return
  const at = fields.findIndex((f) => f.id === id)
  fields.splice(at, 1)
  void show(fields[Math.min(at, fields.length - 1)]?.id)
}

async function copyForm() {
  const params = { path: { id: Number(props.id) } }
  const made = await attempt(() => ask(api.POST('/api/forms/{id}/copy', { params })))
  if (made) await router.push(`/forms/${made.id}`)
}

async function copy() {
  await attempt(() => navigator.clipboard.writeText(address.value))
  ElMessage({ message: 'Link copied', type: 'success' })
}

const typing = (event: KeyboardEvent) =>
  event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement
onKeyStroke(['z', 'Z', 'y'], (event) => {
  if (!event.ctrlKey || typing(event)) return
  event.preventDefault()
  if (event.key === 'z') history.undo()
  else history.redo()
})
</script>

<template>
  <div v-if="info && draft" class="screen">
    <div class="head">
      <h1>{{ info.name }}</h1>
      <span class="say" :class="state[1]">{{ state[0] }}</span>
      <span v-if="info.changed" class="say att">Unpublished changes</span>
      <RouterLink :to="`/sheets/${info.sheet_id}`" class="answers">{{
        count(info.answers, 'answer')
      }}</RouterLink>
      <span class="push quiet" aria-live="polite">{{ saving ? 'Saving…' : 'Saved' }}</span>
      <el-button :disabled="!history.canUndo.value" title="Undo (Ctrl+Z)" @click="history.undo()"
        >Undo</el-button
      >
      <el-button :disabled="!history.canRedo.value" title="Redo (Ctrl+Y)" @click="history.redo()"
        >Redo</el-button
      >
      <el-button @click="copyForm">Copy form</el-button>
      <el-button v-if="info.state !== 'closed'" @click="it.close()">Close form</el-button>
      <el-button
        v-if="info.state === 'closed' || info.changed"
        type="primary"
        :disabled="!!problems.length"
        :title="told(problems[0])"
        @click="it.open()"
        >{{ info.state === 'closed' ? 'Open form' : 'Publish changes' }}</el-button
      >
    </div>
    <div v-if="info.state !== 'closed'" class="address">
      <span class="quiet">Form link</span>
      <a :href="info.address" target="_blank" class="code">{{ address }}</a>
      <el-button @click="copy">Copy</el-button>
      <a class="el-button" :href="`/api/forms/${id}/qr.svg`" target="_blank">QR code</a>
      <span class="quiet"
        >?{{ (draft.fields.find((f) => f.name)?.name ?? 'name').replaceAll(' ', '_') }}=… prefills a
        field</span
      >
    </div>
    <div class="desk">
      <FormFieldList
        v-model:fields="draft.fields"
        :chosen="chosen?.id"
        :problems="problems"
        @show="show"
        @add="add"
        @drop="drop"
      />
      <section class="settings" :aria-label="chosen ? 'Field' : 'Form settings'">
        <FormFieldPanel v-if="chosen" :key="chosen.id" :it="it" :field="chosen" @drop="drop(chosen.id)" />
        <FormWords v-else :it="it" :draft="draft" />
      </section>
      <FormLive :id="Number(id)" :draft="draft" :saved="!saving" :chosen="chosen?.id" />
    </div>
  </div>
</template>

<style scoped>
.answers {
  white-space: nowrap;
}
.head .el-button {
  margin: 0;
}
.address {
  flex: none;
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 16px;
  border-bottom: 1px solid var(--line);
  min-width: 0;
}
.address a {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.desk {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 250px minmax(320px, 1fr) 420px;
}
@media (max-width: 1000px) {
  .desk {
    grid-template-columns: 220px minmax(0, 1fr);
    grid-template-rows: minmax(0, 55%) minmax(0, 45%);
  }
  .desk > :last-child {
    grid-column: 1 / 3;
    border-top: 1px solid var(--line);
  }
}
.settings {
  overflow: auto;
  padding: 14px 16px;
  border-right: 1px solid var(--line);
}
</style>
