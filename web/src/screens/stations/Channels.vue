<script setup lang="ts">
import { computed } from 'vue'

import type { Bench } from '../../api/bench'
import type { Schemas } from '../../api/client'

const props = defineProps<{
  bench: Bench
  page: Schemas['PageView'] | undefined
  change: (work: (bench: Bench) => void, soon?: boolean) => void
}>()
type Email = Schemas['EmailBody']
const address = computed(() => props.bench.columns.find((c) => c.type === 'e-mail')?.name)
const fields: [keyof Email, string][] = [
  ['to', 'To'],
  ['cc', 'Cc'],
  ['bcc', 'Bcc'],
  ['subject', 'Subject'],
]

const closed = computed(() => !!props.bench.setup.pdf.password.trim() && props.bench.setup.output !== 'docx')
/** What goes out with each message. */
const attached = computed(() => {
  const { output } = props.bench.setup
  if (output === 'docx') return 'the DOCX'
  const pdf = closed.value ? 'the password-protected PDF' : 'the PDF'
  return output === 'both' && !closed.value ? `${pdf} and the DOCX` : pdf
})

function toggle(on: boolean) {
  const to = address.value ? `[: ${address.value}]` : ''
  props.change((b) => {
    b.setup.email = on
      ? { to, cc: '', bcc: '', subject: b.name, body: 'Please find the document attached.\n' }
      : null
  })
}

function set(field: keyof Email, text: string) {
  props.change((b) => b.setup.email && (b.setup.email[field] = text), true)
}
</script>

<template>
  <h2>Channels</h2>
  <p>Documents are sent as e-mail attachments. Without a channel they are only stored here.</p>
  <el-checkbox :model-value="!!bench.setup.email" @change="(on) => toggle(!!on)">Send by e-mail</el-checkbox>
  <template v-if="bench.setup.email">
    <p class="quiet">
      Attached: {{ attached }}.<template v-if="closed && bench.setup.output === 'both'">
        The DOCX is not sent, because it opens without the password.</template
      >
    </p>
    <label v-for="[field, label] in fields" :key="field" class="field">
      <span>{{ label }}</span>
      <el-input
        class="code"
        :model-value="bench.setup.email[field]"
        @update:model-value="(text: string) => set(field, text)"
      />
      <small v-if="field === 'to'" class="help">A placeholder, or addresses separated by commas</small>
    </label>
    <label class="field">
      <span>Message</span>
      <el-input
        class="code"
        type="textarea"
        :rows="8"
        :model-value="bench.setup.email.body"
        @update:model-value="(text: string) => set('body', text)"
      />
    </label>
    <template v-if="page?.message">
      <h2>Preview for this record</h2>
      <p class="message">
        <b>{{ page.message.subject }}</b><br /><span class="quiet"
          >to {{ page.message.to }}<template v-if="page.message.cc">, cc {{ page.message.cc }}</template
          ><template v-if="page.message.bcc">, bcc {{ page.message.bcc }}</template></span
        ><br />{{ page.message.body }}
      </p>
    </template>
  </template>
  <p
    v-for="obstacle in bench.obstacles.filter((o) => o.station === 'channels')"
    :key="obstacle.message"
    class="problem"
  >
    {{ obstacle.message }}
    <RouterLink v-if="obstacle.in_settings" to="/settings">Settings</RouterLink>
  </p>
</template>

<style scoped>
.field:first-of-type {
  margin-top: 8px;
}
.message {
  white-space: pre-wrap;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  color: var(--ink);
  padding: 10px 12px;
}
</style>
