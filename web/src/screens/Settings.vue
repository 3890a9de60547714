<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import CurrencyPick from '../parts/CurrencyPick.vue'
import FontList from '../parts/FontList.vue'

const settings = ref<Schemas['Settings']>()
onMounted(() => attempt(async () => (settings.value = await ask(api.GET('/api/settings')))))

const LANGUAGES = [
  ['en-GB', 'English (UK)'],
  ['en-US', 'English (US)'],
  ['en-IE', 'English (Ireland)'],
  ['de-DE', 'German (Germany)'],
  ['de-AT', 'German (Austria)'],
  ['de-CH', 'German (Switzerland)'],
  ['fr-FR', 'French (France)'],
  ['fr-BE', 'French (Belgium)'],
  ['nl-NL', 'Dutch (Netherlands)'],
  ['nl-BE', 'Dutch (Belgium)'],
  ['es-ES', 'Spanish (Spain)'],
  ['it-IT', 'Italian (Italy)'],
  ['pl-PL', 'Polish (Poland)'],
  ['pt-PT', 'Portuguese (Portugal)'],
  ['sv-SE', 'Swedish (Sweden)'],
  ['da-DK', 'Danish (Denmark)'],
] as const

async function save() {
  const body = settings.value
  if (!body) return
  const kept = await attempt(() => ask(api.PUT('/api/settings', { body })))
  if (kept) ElMessage({ message: 'Settings saved' })
}
</script>

<template>
  <div v-if="settings" class="screen">
    <div class="head"><h1>Settings</h1></div>
    <form class="body" @submit.prevent="save">
      <label class="field"
        ><span>Office name (sender name)</span><el-input v-model="settings.office_name"
      /></label>
      <label class="field"
        ><span>Office e-mail address</span><el-input v-model="settings.office_email"
      /></label>
      <label class="field"
        ><span>Language</span>
        <el-select
          :model-value="settings.locale || 'en-GB'"
          aria-label="Language"
          @update:model-value="(tag: string) => settings && (settings.locale = tag)"
        >
          <el-option v-for="[tag, name] in LANGUAGES" :key="tag" :value="tag" :label="name" />
        </el-select>
        <small class="quiet">Files are read by it, and new forms and dispatches start with it.</small></label
      >
      <label class="field"
        ><span>Currency</span>
        <CurrencyPick
          :model-value="settings.currency || 'EUR'"
          @update:model-value="(code: string) => settings && (settings.currency = code)"
        />
        <small class="quiet">New money columns and forms start with it.</small></label
      >
      <label class="field"
        ><span>Your e-mail address (receives proofs)</span><el-input v-model="settings.person_email"
      /></label>
      <label class="field"
        ><span>Your name (shown in version history)</span><el-input v-model="settings.person_name"
      /></label>
      <label class="field"
        ><span>Websites allowed as picture sources, separated by commas</span
        ><el-input v-model="settings.picture_hosts" placeholder="pictures.example"
      /></label>
      <el-button type="primary" native-type="submit">Save settings</el-button>
    </form>
    <FontList />
  </div>
</template>
