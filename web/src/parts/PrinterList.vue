<script setup lang="ts">
import { ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import FormLine from './FormLine.vue'

/** The office's printers. */
const printers = defineModel<Schemas['PrinterAddress'][]>({ required: true })
const found = ref<Record<string, Schemas['PrinterInfo']>>({})
const busy = ref('')
const EXAMPLE = 'ipp://printer.office.example/ipp/print'

const add = () => (printers.value = [...printers.value, { name: '', uri: '' }])
const remove = (at: number) => (printers.value = printers.value.filter((_, index) => index !== at))

async function check(uri: string) {
  busy.value = uri
  const info = await attempt(() => ask(api.POST('/api/printers/look', { body: { uri } })))
  busy.value = ''
  if (info) found.value = { ...found.value, [uri]: info }
}
</script>

<template>
  <div class="wide">
    <p v-if="!printers.length" class="quiet">
      Documents can be printed on any printer that speaks IPP, as network printers do.
    </p>
    <section v-for="(own, at) in printers" :key="at" :aria-label="`Printer ${at + 1}`">
      <FormLine label="Name">
        <el-input v-model="own.name" />
      </FormLine>
      <FormLine label="URI">
        <el-input v-model="own.uri" class="code" :placeholder="EXAMPLE" />
      </FormLine>
      <p class="actions">
        <el-button :disabled="!own.uri.trim()" :loading="busy === own.uri" @click="check(own.uri)"
          >Check</el-button
        >
        <el-button text :aria-label="`Remove printer ${own.name || at + 1}`" @click="remove(at)"
          >Remove</el-button
        >
        <span v-if="found[own.uri]" class="right" role="status">
          {{ found[own.uri]?.model }}, {{ found[own.uri]?.state }}
        </span>
      </p>
    </section>
    <el-button @click="add">Add printer</el-button>
  </div>
</template>

<style scoped>
section {
  display: grid;
  grid-template-columns: 1fr 2fr;
  gap: 0 16px;
  border-bottom: 1px solid var(--line);
  margin-bottom: 10px;
}
.actions {
  grid-column: 1 / -1;
  display: flex;
  align-items: center;
  gap: 8px;
  margin: 0 0 8px;
}
</style>
