<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, reactive, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'

/** Puts a placeholder together by choosing, for people who write none. */
const props = defineProps<{
  field: Schemas['FieldInfo']
  fields: Schemas['FieldInfo'][]
  sheet: number
  row: number
}>()
defineEmits<{ close: [] }>()

const none = () => ({
  format: '',
  fallback: '',
  fallback_is_field: false,
  before: '',
  after: '',
  condition: '',
})
const chosen = reactive(none())
const made = ref<Schemas['PutTogether']>()

const compose = useDebounceFn(async () => {
  const body = {
    path: props.field.path,
    lists: props.field.lists,
    ...chosen,
    locale: '',
    sheet_id: props.sheet,
    row: props.row,
  }
  const found = await attempt(() => ask(api.POST('/api/language/compose', { body })))
  if (found) made.value = found
}, 120)
watch(
  () => props.field.path,
  () => Object.assign(chosen, none()),
)
watch([() => props.field.path, () => props.row, chosen], compose, { immediate: true })

const fallbacks = computed(() =>
  props.fields.filter((f) => !f.within.length && f.path !== props.field.path).map((f) => f.path),
)

/** Conditions that a person can choose without writing one. */
const conditions = computed(() => {
  const path = props.field.path
  const own = [{ value: `${path} is not blank`, label: `${path} is not blank` }]
  if (props.field.type === 'number' || props.field.type === 'money')
    own.push({ value: `${path} > 0`, label: `${path} is greater than 0` })
  if (props.field.type === 'date') own.push({ value: `${path} < today`, label: `${path} is in the past` })
  const answers = props.fields
    .filter((f) => f.type === 'yes/no')
    .flatMap((f) => [
      { value: f.path, label: f.path },
      { value: `not ${f.path}`, label: `not ${f.path}` },
    ])
  return [...own, ...answers]
})

async function copy() {
  const text = made.value?.placeholder
  if (!text) return
  await navigator.clipboard.writeText(text)
  ElMessage({ message: `Copied ${text}` })
}
function drag(event: DragEvent) {
  event.dataTransfer?.setData('text/plain', made.value?.placeholder ?? '')
}
</script>

<template>
  <form class="composer" aria-label="Build a placeholder" @submit.prevent="copy">
    <div class="made">
      <span class="code name" draggable="true" @dragstart="drag">{{ made?.placeholder }}</span>
      <el-button native-type="submit" type="primary">Copy</el-button>
      <el-button @click="$emit('close')">Close</el-button>
    </div>
    <div class="result" :class="{ problem: made?.fault }">
      <template v-if="made?.fault">{{ made.fault }}</template>
      <template v-else-if="made?.printed">Preview: {{ made.printed }}</template>
      <span v-else class="quiet">Prints nothing for this record</span>
    </div>
    <div class="grid">
      <label
        ><span>Format</span>
        <el-select v-model="chosen.format" aria-label="Format" clearable placeholder="Default">
          <el-option
            v-for="one in made?.formats ?? []"
            :key="one.format"
            :value="one.format"
            :label="one.about"
          >
            {{ one.about }} <span class="quiet">{{ one.sample }}</span>
          </el-option>
        </el-select></label
      >
      <label
        ><span>If blank</span>
        <el-input
          v-if="!chosen.fallback_is_field"
          v-model="chosen.fallback"
          aria-label="Text when blank"
          placeholder="nothing" />
        <el-select
          v-else
          v-model="chosen.fallback"
          aria-label="Field when blank"
          filterable
          clearable
          placeholder="Choose a field"
        >
          <el-option v-for="path in fallbacks" :key="path" :value="path" :label="path" /> </el-select
        ><el-checkbox
          v-model="chosen.fallback_is_field"
          label="Use another field"
          @change="chosen.fallback = ''"
      /></label>
      <label
        ><span>Text before</span
        ><el-input v-model="chosen.before" aria-label="Text before" placeholder="nothing"
      /></label>
      <label
        ><span>Text after</span
        ><el-input v-model="chosen.after" aria-label="Text after" placeholder="nothing"
      /></label>
      <label class="wide"
        ><span>Print only if</span>
        <el-select
          v-model="chosen.condition"
          aria-label="Condition"
          filterable
          allow-create
          clearable
          default-first-option
          placeholder="always"
        >
          <el-option
            v-for="one in conditions"
            :key="one.value"
            :value="one.value"
            :label="one.label"
          /> </el-select
      ></label>
    </div>
  </form>
</template>

<style scoped>
.composer {
  position: sticky;
  top: -14px;
  z-index: 2;
  background: var(--head);
  border: 1px solid var(--line);
  border-radius: var(--radius);
  padding: 10px 12px;
  margin-bottom: 10px;
}
.made {
  display: flex;
  gap: 8px;
  align-items: center;
}
.made .code {
  flex: 1;
  overflow-wrap: anywhere;
  cursor: grab;
}
.result {
  min-height: 20px;
  margin: 4px 0 8px;
}
.grid {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px 12px;
}
.wide {
  grid-column: 1 / -1;
}
label > span {
  display: block;
  font-size: 12px;
  color: var(--ink-2);
}
</style>
