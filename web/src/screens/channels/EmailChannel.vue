<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import { api, ask, attempt, upload, type Schemas } from '../../api/client'
import { size } from '../../api/words'
import FormLine from '../../parts/FormLine.vue'
import type { ChannelProps } from '../../registries/channels'
import EmailMessage from './EmailMessage.vue'

/** The settings of the e-mail channel. */
const props = defineProps<ChannelProps<'email'>>()
const fields: ['to' | 'cc' | 'bcc', string, string][] = [
  ['to', 'To', 'A placeholder, or addresses separated by commas'],
  ['cc', 'Cc', ''],
  ['bcc', 'Bcc', ''],
]

/** The office's senders, for the list of those to choose from. */
const senders = ref<Schemas['Sender'][]>([])
onMounted(() => attempt(async () => (senders.value = (await ask(api.GET('/api/settings'))).senders)))

const formats = computed(() => props.bench.setup.formats)
const closed = computed(() => !!props.bench.setup.pdf.password.trim() && formats.value.includes('pdf'))
/** What goes out with each message. */
const attached = computed(() => {
  const both = formats.value.length > 1
  if (!formats.value.includes('pdf')) return 'The DOCX'
  const pdf = closed.value ? 'The password-protected PDF' : 'The PDF'
  return both && !closed.value ? `${pdf} and the DOCX` : pdf
})

type Email = typeof props.channel
const limit = (c: Email, text: string) => {
  c.link_above = Number.parseInt(text, 10) || null
  if (c.link_above && !c.link_note) c.link_note = 'Your documents: [: document.link]'
}
const picker = ref<HTMLInputElement>()
async function addFile() {
  const file = picker.value?.files?.[0]
  if (picker.value) picker.value.value = ''
  if (!file) return
  const params = { path: { key: props.bench.key } }
  const kept = await attempt(() =>
    ask(
      api.POST('/api/dispatches/{key}/files', {
        params,
        ...upload([file]),
      }),
    ),
  )
  if (kept) props.change((c) => c.files.push(kept))
}
</script>

<template>
  <FormLine label="From" about="A sender from Settings, or a placeholder with its address">
    <el-select
      :model-value="channel.from || undefined"
      aria-label="From"
      placeholder="The office"
      clearable
      filterable
      allow-create
      default-first-option
      @change="(from: string | undefined) => change((c) => (c.from = from ?? ''))"
    >
      <el-option
        v-for="one in senders"
        :key="one.address"
        :value="one.address"
        :label="one.name ? `${one.name} <${one.address}>` : one.address"
      />
    </el-select>
  </FormLine>
  <FormLine label="Reply to" about="Blank for the sender">
    <el-input
      class="code"
      :model-value="channel.reply_to"
      @update:model-value="(text: string) => change((c) => (c.reply_to = text), true)"
    />
  </FormLine>
  <FormLine v-for="[field, label, about] in fields" :key="field" :label="label" :about="about">
    <el-input
      class="code"
      :model-value="channel[field]"
      @update:model-value="(text: string) => change((c) => (c[field] = text), true)"
    />
  </FormLine>
  <FormLine label="Unsubscribe" about="An e-mail address or https URL, for mailings. Blank for none.">
    <el-input
      class="code"
      name="unsubscribe"
      :model-value="channel.unsubscribe"
      @update:model-value="(text: string) => change((c) => (c.unsubscribe = text), true)"
    />
  </FormLine>
  <FormLine
    label="Attachments"
    :about="
      channel.attach
        ? closed && formats.length > 1
          ? 'The DOCX is not sent, because it opens without the password.'
          : ''
        : 'Put [: document.link] into the message to send the share link instead.'
    "
  >
    <el-select
      :model-value="channel.attach"
      aria-label="Attachments"
      @change="(attach: boolean) => change((c) => (c.attach = attach))"
    >
      <el-option :value="true" :label="attached" />
      <el-option :value="false" label="None" />
    </el-select>
  </FormLine>
  <FormLine
    v-if="channel.attach"
    label="Largest attachment, MB"
    about="Larger documents go as the share link. Blank for no limit."
  >
    <el-input
      name="link-above"
      inputmode="numeric"
      :model-value="channel.link_above?.toString() ?? ''"
      @update:model-value="(text: string) => change((c) => limit(c, text), true)"
    />
  </FormLine>
  <FormLine
    v-if="channel.attach && channel.link_above != null"
    class="wide"
    label="Message with a share link"
    about="Added to the message in the place of the documents."
  >
    <el-input
      class="code"
      name="link-note"
      :model-value="channel.link_note"
      @update:model-value="(text: string) => change((c) => (c.link_note = text), true)"
    />
  </FormLine>
  <FormLine group class="wide" label="Files" about="Attached to every message.">
    <div v-for="(own, at) in channel.files" :key="own.file" class="file">
      <span>{{ own.name }}</span> <span class="quiet">{{ size(own.size) }}</span>
      <el-button text :aria-label="`Remove ${own.name}`" @click="change((c) => c.files.splice(at, 1))"
        >Remove</el-button
      >
    </div>
    <div>
      <el-button @click="picker?.click()">Add file</el-button>
      <input ref="picker" type="file" hidden aria-label="File to attach" @change="addFile" />
    </div>
  </FormLine>
  <EmailMessage :bench="bench" :channel="channel" :change="change" />
</template>

<style scoped>
.file {
  display: flex;
  align-items: center;
  gap: 8px;
}
</style>
