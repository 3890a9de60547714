<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { useFirstField } from './first-field'

/** Makes a form: from nothing, or one that asks for what a template needs. */
const router = useRouter()
const open = ref(false)
const name = ref('')
const template = ref<number | 'none'>('none')
const templates = ref<Schemas['TemplateInfo'][]>([])
const busy = ref(false)
const begin = useFirstField()

async function ready() {
  open.value = true
  templates.value = (await attempt(() => ask(api.GET('/api/templates')))) ?? []
}

async function make() {
  busy.value = true
  const body = { name: name.value, template_id: template.value === 'none' ? null : template.value }
  const made = await attempt(() => ask(api.POST('/api/forms', { body })))
  busy.value = false
  if (!made) return
  open.value = false
  if (made.left?.length)
    ElMessage({
      type: 'warning',
      duration: 10_000,
      showClose: true,
      message: `These lists can’t be form fields and were left out: ${made.left.join(', ')}`,
    })
  await router.push(`/forms/${made.id}`)
}
</script>

<template>
  <el-button @click="ready">New form</el-button>
  <el-dialog v-model="open" title="New form" width="440" @open-auto-focus="begin">
    <label class="field">
      <span>Name</span>
      <el-input ref="first" v-model="name" aria-label="Name" @keydown.enter="make" />
    </label>
    <label class="field">
      <span>Fields</span>
      <el-select v-model="template" aria-label="Fields">
        <el-option value="none" label="None; I’ll add them" />
        <el-option
          v-for="one in templates"
          :key="one.id"
          :value="one.id"
          :label="`The fields of template “${one.name}”`"
        />
      </el-select>
    </label>
    <template #footer>
      <el-button @click="open = false">Cancel</el-button>
      <el-button type="primary" :loading="busy" @click="make">Create form</el-button>
    </template>
  </el-dialog>
</template>
