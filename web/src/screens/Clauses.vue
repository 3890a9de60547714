<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, reactive, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import { type Diagnostic, said } from '../api/diagnostics'
import { count, day } from '../api/words'
import SideList from '../parts/SideList.vue'

/** The clause library: pieces of text that templates share. */
const props = defineProps<{ id?: string }>()
const router = useRouter()
const clauses = ref<Schemas['ClauseInfo'][]>()
const marks = ref<Diagnostic[]>([])
const draft = reactive({ name: '', language: '', text: '' })
const chosen = computed(() => clauses.value?.find((c) => c.id === Number(props.id)))
const entries = computed(() =>
  (clauses.value ?? []).map((one) => ({
    to: `/clauses/${one.id}`,
    name: one.name,
    says: one.language || 'any language',
    text: one.text,
    here: one.id === Number(props.id),
  })),
)
const isNew = computed(() => props.id === 'new')
const changed = computed(
  () =>
    isNew.value ||
    (!!chosen.value &&
      (draft.name !== chosen.value.name ||
        draft.language !== chosen.value.language ||
        draft.text !== chosen.value.text)),
)
onMounted(() => attempt(async () => (clauses.value = await ask(api.GET('/api/clauses')))))

watch([() => props.id, chosen], ([, now]) => {
  draft.name = now?.name ?? ''
  draft.language = now?.language ?? ''
  draft.text = now?.text ?? ''
})
const check = useDebounceFn(async () => {
  const body = { text: draft.text, placeholders: true, sheet_id: null }
  const found = await attempt(() => ask(api.POST('/api/language/check', { body })))
  if (found) marks.value = found
}, 250)
watch(() => draft.text, check)

async function save() {
  const params = { path: { id: Number(props.id) } }
  const kept = await attempt(() =>
    isNew.value
      ? ask(api.POST('/api/clauses', { body: draft }))
      : ask(api.PUT('/api/clauses/{id}', { params, body: { ...draft, revision: chosen.value?.revision } })),
  )
  if (!kept) return
  const name = draft.name.trim()
  const language = draft.language.trim()
  clauses.value = kept
  const own = kept.find((c) => c.name === name && c.language === language)
  if (own) await router.replace(`/clauses/${own.id}`)
  ElMessage({ message: `“${name}” is saved. New documents use this text.` })
}

async function remove() {
  const one = chosen.value
  if (!one) return
  const text = `Delete “${one.name}”${one.language ? ` in ${one.language}` : ''}? Templates that use it will have a problem. This can’t be undone.`
  if (!(await confirmed({ title: 'Delete clause', text, act: 'Delete clause', destroys: true }))) return
  const left = await attempt(() => ask(api.DELETE('/api/clauses/{id}', { params: { path: { id: one.id } } })))
  if (!left) return
  clauses.value = left
  await router.replace('/clauses')
}
</script>

<template>
  <div class="screen">
    <div class="head">
      <RouterLink to="/templates" class="quiet">Templates</RouterLink>
      <h1>Clauses</h1>
      <span class="quiet">Reusable text for templates</span><span class="push" />
      <el-button type="primary" @click="router.push('/clauses/new')">New clause</el-button>
    </div>
    <div v-if="clauses && !clauses.length && !isNew" class="body">
      <div class="empty">
        <h2>No clauses yet</h2>
        <p>
          Write a clause once and use it in many templates:
          <span class="code">[:clause "late payment"]</span>. It can contain placeholders and a version for
          each language.
        </p>
        <el-button type="primary" @click="router.push('/clauses/new')">New clause</el-button>
      </div>
    </div>
    <SideList v-else-if="clauses" label="Clauses" :entries="entries">
      <form v-if="chosen || isNew" class="editor" @submit.prevent="save">
        <div class="over">
          <label class="field"><span>Name</span><el-input v-model="draft.name" aria-label="Name" /></label>
          <label class="field"
            ><span>Language</span
            ><el-select
              v-model="draft.language"
              aria-label="Language"
              placeholder="Any language"
              filterable
              allow-create
            >
              <el-option value="" label="any language" />
              <el-option v-for="one in ['en', 'de', 'fr', 'nl']" :key="one" :value="one" :label="one" />
            </el-select>
          </label>
        </div>
        <label class="field text-field"
          ><span>Text</span
          ><el-input v-model="draft.text" type="textarea" class="code" :rows="10" aria-label="Text"
        /></label>
        <div v-if="marks.length" role="alert">
          <ul class="marks">
            <li v-for="(mark, index) in marks" :key="index" :class="{ hint: mark.severity !== 'error' }">
              {{ said(mark) }}
            </li>
          </ul>
        </div>
        <p class="quiet">
          In a template: <span class="code name">[:clause "{{ draft.name || 'name' }}"]</span>, with values
          for its placeholders:
          <span class="code name">[:clause "{{ draft.name || 'name' }}" with days = 14]</span>
        </p>
        <div class="over">
          <el-button
            type="primary"
            native-type="submit"
            :disabled="!changed || !draft.name.trim() || marks.some((m) => m.severity === 'error')"
            >Save clause</el-button
          >
          <el-button v-if="chosen" @click="remove">Delete</el-button>
          <span v-if="chosen" class="quiet">Last changed {{ day(chosen.changed) }}</span>
        </div>
      </form>
      <p v-else class="quiet hint-text">{{ count(clauses.length, 'clause') }}. Choose one to change it.</p>
    </SideList>
  </div>
</template>

<style scoped>
.editor {
  padding: 14px 16px;
  overflow: auto;
  max-width: 760px;
}
.over {
  display: flex;
  gap: 12px;
  align-items: center;
}
.over .field {
  flex: 1;
}
.over .field + .field {
  flex: 0 0 160px;
}
.text-field {
  max-width: none;
}
.marks {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
  color: var(--wrong);
}
.marks .hint {
  color: var(--attention);
}
.hint-text {
  padding: 24px;
}
</style>
