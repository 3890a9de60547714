<script setup lang="ts">
import { api, ask, attempt, type Schemas } from '../api/client'
import { newName } from '../api/confirm'
import { useLabels } from '../api/labels'

/** What can be done with a template as a whole, in a list. */
const props = defineProps<{ template: Schemas['TemplateInfo'] }>()
const emit = defineEmits<{ changed: [] }>()
const labels = useLabels('template')
const params = () => ({ path: { id: props.template.id } })

async function rename() {
  const name = await newName('template', props.template.name)
  if (!name) return
  const body = { name }
  if (await attempt(() => ask(api.PUT('/api/templates/{id}/name', { params: params(), body }))))
    emit('changed')
}
async function copy() {
  const made = await attempt(() => ask(api.POST('/api/templates/{id}/copy', { params: params() })))
  if (!made) return
  ElMessage({ message: `“${props.template.name}” was copied.` })
  emit('changed')
}
</script>

<template>
  <el-dropdown trigger="click">
    <el-button :aria-label="`More for ${template.name}`">More</el-button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item @click="rename">Rename…</el-dropdown-item>
        <el-dropdown-item @click="copy">Copy</el-dropdown-item>
        <el-dropdown-item @click="labels.edit(template.id, template.name)">Labels…</el-dropdown-item>
      </el-dropdown-menu>
    </template>
  </el-dropdown>
</template>
