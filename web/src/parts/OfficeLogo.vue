<script setup lang="ts">
import { ref } from 'vue'

import { api, ask, attempt, upload } from '../api/client'
import FilePick from './FilePick.vue'

/** The office's logo, which forms, share links and signing pages carry. */
const there = ref(true)
const version = ref(0)
const busy = ref(false)

async function take(files: File[]) {
  busy.value = true
  const done = await attempt(() => ask(api.PUT('/api/office-logo', upload(files.slice(0, 1)))))
  busy.value = false
  if (!done) return
  there.value = true
  version.value++
}
async function remove() {
  if (await attempt(() => ask(api.DELETE('/api/office-logo')))) there.value = false
}
</script>

<template>
  <div class="logo">
    <img v-if="there" :src="`/api/office-logo?${version}`" alt="Logo" @error="there = false" />
    <span v-else class="quiet"
      >No logo. Forms, share links and signing pages show the office name alone.</span
    >
    <FilePick
      :label="there ? 'Replace logo' : 'Upload logo'"
      accept=".png,.jpg,.jpeg,.webp"
      :busy="busy"
      @files="take"
    />
    <el-button v-if="there" @click="remove">Remove logo</el-button>
  </div>
</template>

<style scoped>
.logo {
  position: relative;
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
  grid-column: 1 / -1;
}
.logo img {
  max-width: 180px;
  max-height: 48px;
}
</style>
