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
      message: `A form asks for single values; it can’t ask for ${made.left.join(', ')}`,
    })
  await router.push(`/forms/${made.id}`)
}
</script>

<template>
  <el-button @click="ready">Make a form</el-button>
  <el-dialog v-model="open" title="Make a form" width="440" @open-auto-focus="begin">
    <label class="field">
      <span>Name</span>
      <el-input ref="first" v-model="name" aria-label="Name of the form" @keydown.enter="make" />
    </label>
    <label class="field">
      <span>It asks for</span>
      <el-select v-model="template" aria-label="It asks for">
        <el-option value="none" label="nothing yet: I add the fields" />
        <el-option
          v-for="one in templates"
          :key="one.id"
          :value="one.id"
          :label="`what the template ${one.name} needs`"
        />
      </el-select>
    </label>
    <template #footer>
      <el-button @click="open = false">Not now</el-button>
      <el-button type="primary" :loading="busy" @click="make">Make the form</el-button>
    </template>
  </el-dialog>
</template>
