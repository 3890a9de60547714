<script setup lang="ts">
import createClient from 'openapi-fetch'
import { computed, defineAsyncComponent, nextTick, ref } from 'vue'

import type { components, paths } from '../api/schema'
import OfficeMark from './OfficeMark.vue'

/** A shared document, for whoever has its address. */
const props = defineProps<{ token: string }>()
type Schemas = components['schemas']

/** Loaded once a document is opened: it is larger than all the rest of the page. */
const Pages = defineAsyncComponent(() => import('./SharedPages.vue'))

const api = createClient<paths>({ baseUrl: '/' })
const OFFLINE = 'The document can’t be reached. Check the connection and try again.'
const params = { path: { token: props.token } }

const page = ref<Schemas['SharedPage']>()
const opened = ref<Schemas['Opened']>()
const passcode = ref('')
const problem = ref('')
const gone = ref('')
const busy = ref(false)
const field = ref<HTMLInputElement>()

/** What a refusal says. */
const said = (error: unknown) => (error as { message?: string } | undefined)?.message ?? OFFLINE

async function load() {
  gone.value = ''
  const got = await api.GET('/api/shared/{token}', { params }).catch(() => undefined)
  if (!got?.data) {
    gone.value = said(got?.error)
    return
  }
  page.value = got.data
  if (got.data.office) document.title = `Document from ${got.data.office}`
  await nextTick()
  field.value?.focus()
}
void load()

async function open() {
  busy.value = true
  problem.value = ''
  const body = { passcode: passcode.value }
  const got = await api.POST('/api/shared/{token}/open', { params, body }).catch(() => undefined)
  busy.value = false
  if (got?.data) {
    opened.value = got.data
    document.title = got.data.title
    return
  }
  problem.value = said(got?.error)
  await nextTick()
  field.value?.select()
}

const address = (format: string, save: boolean) =>
  `/api/shared/${props.token}/${format}?key=${opened.value?.key ?? ''}${save ? '&save=true' : ''}`
const pdf = computed(() => opened.value?.documents.find((one) => one.format === 'pdf'))
const size = (bytes: number) =>
  bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(1)} MB`
</script>

<template>
  <main class="shared" :class="{ reading: opened }">
    <template v-if="opened">
      <header>
        <div class="what">
          <span class="office">{{ page?.office }}</span>
          <h1>{{ opened.title }}</h1>
        </div>
        <div v-if="opened.download" class="files">
          <a
            v-for="one in opened.documents"
            :key="one.format"
            class="press"
            :href="address(one.format, true)"
            :download="one.name"
            >Download {{ one.format.toUpperCase() }} <small>{{ size(one.size) }}</small></a
          >
        </div>
      </header>
      <Pages v-if="pdf" :address="address('pdf', false)" :name="opened.title" />
      <p v-else class="told">This document can be downloaded. It can’t be shown here.</p>
    </template>
    <div v-else class="card">
      <p v-if="gone" class="told" role="alert">{{ gone }}</p>
      <button v-if="gone === OFFLINE" class="press" @click="load">Try again</button>
      <p v-else-if="!page && !gone" class="told">Loading…</p>
      <template v-else-if="page">
        <OfficeMark />
        <h1 v-if="page.office">{{ page.office }}</h1>
        <p v-if="page.state === 'closed'" class="told" role="status">{{ page.message }}</p>
        <form v-else @submit.prevent="open">
          <p class="told">A document has been shared with you.</p>
          <label v-if="page.state === 'passcode'"
            >Passcode
            <input ref="field" v-model="passcode" name="passcode" autocomplete="one-time-code" required />
          </label>
          <p v-if="problem" class="wrong" role="alert">{{ problem }}</p>
          <button class="press main" :disabled="busy">{{ busy ? 'Opening…' : 'Open document' }}</button>
        </form>
      </template>
    </div>
  </main>
</template>
