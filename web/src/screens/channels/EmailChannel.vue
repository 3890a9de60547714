<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../../api/client'
import FormLine from '../../parts/FormLine.vue'
import type { ChannelProps } from '../../registries/channels'

/** The settings of the e-mail channel. */
const props = defineProps<ChannelProps<'email'>>()
const fields: ['to' | 'cc' | 'bcc' | 'subject', string, string][] = [
  ['to', 'To', 'A placeholder, or addresses separated by commas'],
  ['cc', 'Cc', ''],
  ['bcc', 'Bcc', ''],
  ['subject', 'Subject', ''],
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
  <FormLine class="wide" label="Message">
    <el-input
      class="code"
      type="textarea"
      :rows="7"
      :model-value="channel.body"
      @update:model-value="(text: string) => change((c) => (c.body = text), true)"
    />
  </FormLine>
</template>
