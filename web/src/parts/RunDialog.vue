<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'

import { documents, documentsInWords, type Bench } from '../api/bench'
import { api, ask, attempt } from '../api/client'
import { count } from '../api/words'

/** The last word before a run: its number and its consequence. */
const props = defineProps<{ bench: Bench }>()
const open = defineModel<boolean>({ required: true })
const router = useRouter()
const starting = ref(false)

async function run() {
  starting.value = true
  const params = { path: { key: props.bench.key } }
  const body = { count: props.bench.records.length }
  const started = await attempt(() => ask(api.POST('/api/dispatches/{key}/runs', { params, body })))
  starting.value = false
  if (!started) return
  open.value = false
  await router.push(`/runs/${started.id}`)
}
</script>

<template>
  <el-dialog v-model="open" :title="`Run ${documentsInWords(bench)}`" width="440">
    <p v-if="bench.setup.email">
      {{ documentsInWords(bench) }} will be made and {{ count(documents(bench), 'message') }} sent by e-mail.
      What is sent can't be called back.
    </p>
    <p v-else>{{ documentsInWords(bench) }} will be made and kept here. Nothing is sent.</p>
    <template #footer>
      <el-button type="primary" :loading="starting" @click="run">Run {{ documentsInWords(bench) }}</el-button>
      <el-button @click="open = false">Not now</el-button>
    </template>
  </el-dialog>
</template>
