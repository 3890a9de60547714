<script setup lang="ts">
import { api, ask, attempt, saveFrom } from '../api/client'
import { confirmed, newName } from '../api/confirm'
import { useLabels } from '../api/labels'
import { count } from '../api/words'

/** What can be done with a dispatch as a whole. */
const props = defineProps<{ dispatch: string; name: string; runs?: number }>()
const emit = defineEmits<{ deleted: []; copied: [key: string] }>()
const labels = useLabels('dispatch')
const params = () => ({ path: { key: props.dispatch } })

async function rename() {
  const name = await newName('dispatch', props.name)
  if (!name) return
  const done = await attempt(async () => {
    const own = await ask(api.GET('/api/dispatches/{key}', { params: params() }))
    const { template_id, sheet_id, setup, revision } = own
    const body = { name, template_id, sheet_id, setup, revision }
    return await ask(api.PUT('/api/dispatches/{key}', { params: params(), body }))
  })
  if (done) emit('copied', done.key)
}

async function copy() {
  const made = await attempt(() => ask(api.POST('/api/dispatches/{key}/copy', { params: params() })))
  if (!made) return
  ElMessage({ message: `“${props.name}” was copied.` })
  emit('copied', made.key)
}

/** The dispatch with all that it uses, as one file for another Mangle. */
const exportIt = () => attempt(() => saveFrom('/api/moves/export', { dispatches: [props.dispatch] }))

async function remove() {
  const runs = props.runs ? ` with the record of its ${count(props.runs, 'run')}` : ''
  const text = `Delete “${props.name}”${runs}? The template, the sources and sent messages are not affected. This can’t be undone.`
  if (!(await confirmed({ title: 'Delete dispatch', text, act: 'Delete dispatch', destroys: true }))) return
  const gone = await attempt(() => ask(api.DELETE('/api/dispatches/{key}', { params: params() })))
  if (gone !== undefined) emit('deleted')
}
</script>

<template>
  <el-dropdown trigger="click">
    <el-button :aria-label="`More for ${name}`">More</el-button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item @click="rename">Rename…</el-dropdown-item>
        <el-dropdown-item @click="copy">Copy</el-dropdown-item>
        <el-dropdown-item @click="labels.edit(dispatch, name)">Labels…</el-dropdown-item>
        <el-dropdown-item @click="exportIt">Export set-up</el-dropdown-item>
        <el-dropdown-item @click="remove">Delete…</el-dropdown-item>
      </el-dropdown-menu>
    </template>
  </el-dropdown>
</template>
