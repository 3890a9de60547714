<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../../api/client'
import { fold, useSheets } from '../../api/design'
import Composer from '../../parts/Composer.vue'
import FieldTree from '../../parts/FieldTree.vue'

/** The fields of a source as ready placeholders, to copy or drag into the file. */
const props = defineProps<{ template: Schemas['TemplateDetail'] }>()
const emit = defineEmits<{ choose: [number[]] }>()
const { sheets, sheet, choose } = useSheets(props.template)
const row = ref(1)
const find = ref('')
const fields = ref<Schemas['FieldInfo'][]>([])
const composing = ref<Schemas['FieldInfo']>()

watch(
  [() => sheet.value?.id, row],
  async ([id, row]) => {
    if (!id) return
    const params = { path: { id }, query: { row } }
    const found = await attempt(() => ask(api.GET('/api/sheets/{id}/fields', { params })))
    if (found) fields.value = found
  },
  { immediate: true },
)

/** How often the template uses each name. */
const uses = computed(() => {
  const found = new Map<string, number[]>()
  props.template.placeholders.forEach((placeholder, index) => {
    for (const name of placeholder.names) {
      const own = found.get(fold(name)) ?? []
      own.push(index)
      found.set(fold(name), own)
    }
  })
  return found
})

function matching(all: Schemas['FieldInfo'][]): Schemas['FieldInfo'][] {
  const wanted = fold(find.value)
  if (!wanted) return all
  return all.flatMap((field) => {
    const within = matching(field.within)
    const own = fold(field.name).includes(wanted) || fold(field.sample).includes(wanted)
    return own ? [field] : within.length ? [{ ...field, within }] : []
  })
}
const shown = computed(() => matching(fields.value))

async function copy(field: Schemas['FieldInfo']) {
  await navigator.clipboard.writeText(field.placeholder)
  ElMessage({ message: `Copied ${field.placeholder}` })
}
const step = (by: number) => {
  const rows = sheet.value?.rows ?? 1
  row.value = ((row.value - 1 + by + rows) % rows) + 1
}
</script>

<template>
  <p v-if="!sheets.length" class="quiet">
    No source yet. <RouterLink to="/sources">Import one</RouterLink> to see its fields.
  </p>
  <template v-else>
    <div class="from">
      <el-select
        :model-value="sheet?.id"
        aria-label="Source of the fields"
        @change="(id: number) => (choose(id), (row = 1))"
      >
        <el-option v-for="one in sheets" :key="one.id" :value="one.id" :label="one.label" />
      </el-select>
      <el-button aria-label="Previous record" @click="step(-1)">←</el-button>
      <span class="quiet">row {{ row }} of {{ sheet?.rows }}</span>
      <el-button aria-label="Next record" @click="step(1)">→</el-button>
      <el-input v-model="find" placeholder="Find a field or value" aria-label="Find a field" clearable />
    </div>
    <Composer
      v-if="composing"
      :field="composing"
      :sheet="sheet?.id ?? 0"
      :row="row"
      :fields="fields"
      @close="composing = undefined"
    />
    <p v-else class="quiet">
      Copy a placeholder, or drag it into your word processor. “Build” adds a format, a fallback or a
      condition.
    </p>
    <FieldTree
      :fields="shown"
      :uses="(name: string) => uses.get(fold(name))?.length ?? 0"
      :composing="composing?.path"
      @copy="copy"
      @compose="composing = $event"
      @find="(name: string) => emit('choose', uses.get(fold(name)) ?? [])"
    />
    <p v-if="!shown.length" class="quiet">No field or value matches “{{ find }}”.</p>
  </template>
</template>

<style scoped>
.from {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-bottom: 8px;
  white-space: nowrap;
}
.from .el-select {
  width: 190px;
  flex: none;
}
.from .el-button {
  padding: 0 8px;
}
</style>
