<script setup lang="ts">
import { nextTick, onMounted, ref, watch } from 'vue'
import { useRoute } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { goBy } from '../api/words'
import BucketList from '../parts/BucketList.vue'
import CurrencyPick from '../parts/CurrencyPick.vue'
import FontList from '../parts/FontList.vue'
import FormLine from '../parts/FormLine.vue'
import Group from '../parts/Group.vue'
import OfficeLogo from '../parts/OfficeLogo.vue'
import MailServer from '../parts/MailServer.vue'
import PrinterList from '../parts/PrinterList.vue'
import SealKey from '../parts/SealKey.vue'
import SenderList from '../parts/SenderList.vue'
import { SETTINGS } from '../parts/settings'
import TimestampAuthority from '../parts/TimestampAuthority.vue'
import WebHooks from '../parts/WebHooks.vue'

const settings = ref<Schemas['SettingsBody']>()
onMounted(async () => {
  await attempt(async () => (settings.value = await ask(api.GET('/api/settings'))))
  await lead()
})

const route = useRoute()
/** Goes to the heading that an address such as /settings#Printers names. */
async function lead() {
  const wanted = decodeURIComponent(route.hash.slice(1))
  if (!wanted) return
  // Each part asks for what it shows; what is above has its height then.
  await nextTick()
  window.setTimeout(() => {
    const heading = [...document.querySelectorAll('h2')].find((own) => own.textContent === wanted)
    const body = heading?.closest('.body')
    if (heading && body)
      body.scrollTop += heading.getBoundingClientRect().top - body.getBoundingClientRect().top - 12
  }, 300)
}
watch(() => route.hash, lead)

/** The names of the time zones that there are. */
const ZONES = ['UTC', ...Intl.supportedValuesOf('timeZone')]
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
  if (!kept) return
  settings.value = kept
  goBy(kept.time_zone)
  ElMessage({ message: 'Settings saved' })
}
</script>

<template>
  <div v-if="settings" class="screen">
    <div class="head">
      <h1>Settings</h1>
      <span class="push" />
      <el-button type="primary" @click="save">Save settings</el-button>
    </div>
    <div class="body">
      <form class="columns" @submit.prevent="save">
        <Group :level="2" :title="SETTINGS.office.title">
          <FormLine label="Office name" about="Sender of messages.">
            <el-input v-model="settings.office_name" />
          </FormLine>
          <FormLine label="Office e-mail address" about="Replies go to this address.">
            <el-input v-model="settings.office_email" />
          </FormLine>
          <OfficeLogo />
        </Group>
        <Group :level="2" :title="SETTINGS.you.title">
          <FormLine label="Your name" about="Shown in the version history.">
            <el-input v-model="settings.person_name" />
          </FormLine>
          <FormLine label="Your e-mail address" about="Receives proofs.">
            <el-input v-model="settings.person_email" />
          </FormLine>
          <FormLine group class="wide" label="Run summaries">
            <el-checkbox v-model="settings.run_summary"
              >E-mail me what became of a run when it has ended</el-checkbox
            >
          </FormLine>
        </Group>
        <Group :level="2" :title="SETTINGS.language.title">
          <FormLine label="Language" about="Files are read by it. New forms and dispatches start with it.">
            <el-select
              :model-value="settings.locale || 'en-GB'"
              aria-label="Language"
              @update:model-value="(tag: string) => settings && (settings.locale = tag)"
            >
              <el-option v-for="[tag, name] in LANGUAGES" :key="tag" :value="tag" :label="name" />
            </el-select>
          </FormLine>
          <FormLine label="Currency" about="New money columns and forms start with it.">
            <CurrencyPick
              :model-value="settings.currency || 'EUR'"
              @update:model-value="(code: string) => settings && (settings.currency = code)"
            />
          </FormLine>
          <FormLine label="Time zone" about="Dates print, forms close and schedules go by it.">
            <el-select v-model="settings.time_zone" aria-label="Time zone" filterable>
              <el-option v-for="zone in ZONES" :key="zone" :value="zone" :label="zone" />
            </el-select>
          </FormLine>
        </Group>
        <Group :level="2" :title="SETTINGS.pictures.title">
          <FormLine
            class="wide"
            label="Allowed websites"
            about="Websites that pictures may be fetched from, separated by commas, e.g. pictures.example"
          >
            <el-input v-model="settings.picture_hosts" />
          </FormLine>
        </Group>
        <Group :level="2" :title="SETTINGS.signing.title">
          <TimestampAuthority v-model="settings.timestamp_authority" />
        </Group>
        <Group :level="2" :title="SETTINGS.senders.title">
          <SenderList v-model="settings.senders" />
        </Group>
        <Group :level="2" :title="SETTINGS.printers.title">
          <PrinterList v-model="settings.printers" />
        </Group>
        <!-- Enter saves from any field. -->
        <input type="submit" class="unseen" tabindex="-1" value="Save settings" aria-hidden="true" />
      </form>
      <MailServer :person="settings.person_email" />
      <SealKey />
      <WebHooks />
      <FontList />
      <BucketList />
    </div>
  </div>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 480px), 1fr));
  gap: 0 40px;
}
</style>
