<script setup lang="ts">
import { computed } from 'vue'

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

const formats = computed(() => props.bench.setup.formats)
const closed = computed(() => !!props.bench.setup.pdf.password.trim() && formats.value.includes('pdf'))
/** What goes out with each message. */
const attached = computed(() => {
  const both = formats.value.length > 1
  if (!formats.value.includes('pdf')) return 'the DOCX'
  const pdf = closed.value ? 'the password-protected PDF' : 'the PDF'
  return both && !closed.value ? `${pdf} and the DOCX` : pdf
})
</script>

<template>
  <FormLine v-for="[field, label, about] in fields" :key="field" :label="label" :about="about">
    <el-input
      class="code"
      :model-value="channel[field]"
      @update:model-value="(text: string) => change((c) => (c[field] = text), true)"
    />
  </FormLine>
  <FormLine
    class="wide"
    label="Message"
    :about="`Attached: ${attached}.${closed && formats.length > 1 ? ' The DOCX is not sent, because it opens without the password.' : ''}`"
  >
    <el-input
      class="code"
      type="textarea"
      :rows="7"
      :model-value="channel.body"
      @update:model-value="(text: string) => change((c) => (c.body = text), true)"
    />
  </FormLine>
</template>
