<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt } from '../api/client'
import { useFirstField } from './first-field'

/** Makes a pack, which has no parts yet. */
const router = useRouter()
const open = ref(false)
const name = ref('')
const begin = useFirstField()

async function make() {
  const body = {
    name: name.value,
    pack: { parts: [], numbering: 'per-part' as const, cover: '', contents: false },
  }
  const made = await attempt(() => ask(api.POST('/api/packs', { body })))
  if (!made) return
  open.value = false
  await router.push(`/templates/${made.id}`)
}
</script>

<template>
  <el-button @click="open = true">New pack</el-button>
  <el-dialog v-model="open" title="New pack" width="440" @open-auto-focus="begin">
    <label class="field">
      <span>Name</span>
      <el-input ref="first" v-model="name" aria-label="Name" @keydown.enter="make" />
      <small class="quiet">A pack combines templates, PDFs and pictures into one document.</small>
    </label>
    <template #footer>
      <el-button @click="open = false">Cancel</el-button>
      <el-button type="primary" :disabled="!name.trim()" @click="make">Create pack</el-button>
    </template>
  </el-dialog>
</template>
