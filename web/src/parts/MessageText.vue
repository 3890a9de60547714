<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue'

import type { Bench } from '../api/bench'
import type { Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import FormLine from './FormLine.vue'
import { fromPlain } from './message-html'

/** The subject and the message of an e-mail, plain or formatted, as they are written. */
type Text = Schemas['MessageText']
const props = defineProps<{
  bench: Bench
  text: Text
  change: (work: (text: Text) => void, soon?: boolean) => void
}>()

/** A formatted message with nothing in it yet. */
const EMPTY = '<p></p>'
const MessageEditor = defineAsyncComponent(() => import('./MessageEditor.vue'))
const rich = computed(() => !!props.text.html)
const names = computed(() => [
  ...props.bench.columns.map((one) => one.name),
  'office.name',
  'dispatch.name',
  'document.link',
  'signer.name',
])

async function setRich(on: boolean) {
  if (on) return props.change((c) => (c.html = fromPlain(c.body) || EMPTY))
  const asked = {
    title: 'Plain text',
    text: 'The formatting, tables and pictures of this message are lost.',
    act: 'Use plain text',
    destroys: true,
  }
  if (await confirmed(asked))
    props.change((c) => {
      c.body = plain(c.html) || c.body
      c.html = ''
    })
}
const plain = (html: string) => {
  const page = new DOMParser().parseFromString(
    html.replace(/<br>/g, '\n').replace(/<\/(p|h\d|li|tr)>/g, '\n\n'),
    'text/html',
  )
  return `${(page.body.textContent ?? '').replace(/\n{3,}/g, '\n\n').trim()}\n`
}
</script>

<template>
  <FormLine class="wide" label="Subject">
    <el-input
      class="code"
      :model-value="text.subject"
      @update:model-value="(text: string) => change((c) => (c.subject = text), true)"
    />
  </FormLine>
  <FormLine group class="wide" label="Message">
    <el-radio-group
      :model-value="rich"
      aria-label="Format of the message"
      @change="(on) => setRich(on === true)"
    >
      <el-radio :value="false">Plain text</el-radio>
      <el-radio :value="true">Formatted</el-radio>
    </el-radio-group>
    <MessageEditor
      v-if="rich"
      :model-value="text.html"
      :dispatch="bench.key"
      :fields="names"
      @update:model-value="(html: string) => change((c) => (c.html = html || EMPTY), true)"
    />
    <el-input
      v-else
      class="code"
      type="textarea"
      aria-label="Message"
      :rows="7"
      :model-value="text.body"
      @update:model-value="(text: string) => change((c) => (c.body = text), true)"
    />
  </FormLine>
</template>
