<script setup lang="ts">
import { onMounted, ref, watch } from 'vue'
import { useIntervalFn } from '@vueuse/core'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import { clock, count, shortDay, size } from '../api/words'

const props = defineProps<{ number?: string }>()
const router = useRouter()
const list = ref<Schemas['Summary'][]>()
const message = ref<Schemas['Message']>()

const load = async () => (list.value = await ask(api.GET('/api/practice/mailbox')))
const open = async () => {
  if (!props.number) message.value = undefined
  else
    message.value = await ask(
      api.GET('/api/practice/mailbox/{number}', { params: { path: { number: Number(props.number) } } }),
    )
}
onMounted(() => attempt(load))
watch(
  () => props.number,
  () => attempt(open),
  { immediate: true },
)
useIntervalFn(() => void load().catch(() => undefined), 2000)

async function clear() {
  const number = list.value?.length ?? 0
  const act = `Delete ${count(number, 'message')}`
  if (
    !(await confirmed({ title: 'Empty mailbox', text: `${act}? This can’t be undone.`, act, destroys: true }))
  )
    return
  await attempt(() => ask(api.DELETE('/api/practice/mailbox')))
  await router.push('/practice/mailbox')
  await attempt(load)
}

const reason = ref('550 5.1.1 no such user here')
const asking = ref(false)
const plain = ref(false)
async function bounce() {
  if (!message.value) return
  const params = { path: { number: message.value.number } }
  const body = { recipient: '', reason: reason.value }
  asking.value = false
  await attempt(async () => {
    await ask(api.POST('/api/practice/mailbox/{number}/bounce', { params, body }))
    ElMessage({ message: 'Sent back. The delivery shows it within seconds.' })
  })
}
</script>

<template>
  <div class="screen">
    <div class="head">
      <h1>Practice mailbox</h1>
      <span class="quiet">Catches all outgoing mail on this machine; nothing is sent out</span
      ><span class="push" />
      <el-button v-if="list?.length" @click="clear">Empty mailbox</el-button>
    </div>
    <div v-if="list && !list.length" class="empty">
      <h2>No messages yet</h2>
      <p>In practice mode, messages from proofs and runs arrive here.</p>
      <RouterLink to="/dispatches">Go to Dispatches</RouterLink>
    </div>
    <div v-else class="mail">
      <nav aria-label="Messages">
        <RouterLink
          v-for="one in list"
          :key="one.number"
          :to="`/practice/mailbox/${one.number}`"
          :class="{ here: String(one.number) === number }"
        >
          <b>{{ one.to }}</b><span class="quiet num">{{ clock(one.received) }}</span>
          <span class="subject">{{ one.subject }}</span><span class="quiet num">{{
            one.attachments ? count(one.attachments, 'file') : ''
          }}</span>
        </RouterLink>
      </nav>
      <article v-if="message">
        <h2>{{ message.subject }}</h2>
        <p v-if="message.return_path" class="bounce">
          <el-button v-if="!asking" @click="asking = true">Bounce</el-button>
          <template v-else>
            <el-input v-model="reason" aria-label="Reason" name="reason" @keyup.enter="bounce" />
            <el-button @click="bounce">Send back</el-button>
            <el-button text @click="asking = false">Cancel</el-button>
          </template>
        </p>
        <dl>
          <dt>From</dt>
          <dd>{{ message.from }}</dd>
          <dt>To</dt>
          <dd>{{ message.to }}</dd>
          <template v-if="message.cc"
            ><dt>Cc</dt>
            <dd>{{ message.cc }}</dd></template
          >
          <dt>Delivered to</dt>
          <dd>{{ message.recipients.join(', ') }}</dd>
          <dt>Received</dt>
          <dd>{{ shortDay(message.received) }} {{ clock(message.received) }}</dd>
        </dl>
        <p v-if="message.html" class="ways">
          <el-button :class="{ on: !plain }" :aria-pressed="!plain" @click="plain = false"
            >Formatted</el-button
          >
          <el-button :class="{ on: plain }" :aria-pressed="plain" @click="plain = true">Plain text</el-button>
        </p>
        <!-- Shown as a mail program does: no script runs. -->
        <iframe v-if="message.html && !plain" title="The message" sandbox="" :srcdoc="message.html"></iframe>
        <pre v-else>{{ message.text }}</pre>
        <div class="files">
          <a
            v-for="(file, index) in message.files"
            :key="index"
            :href="`/api/practice/mailbox/${message.number}/attachments/${index}`"
            target="_blank"
            >{{ file.name }} <span class="quiet">{{ size(file.size) }}</span></a
          >
        </div>
      </article>
      <p v-else class="hint">Select a message.</p>
    </div>
  </div>
</template>

<style scoped>
iframe {
  width: 100%;
  min-height: 320px;
  border: 1px solid var(--line);
  background: white;
}
.ways {
  display: flex;
  gap: 8px;
}
.ways .el-button {
  margin: 0;
}
.ways .on {
  background: var(--line-2);
}
.bounce {
  display: flex;
  gap: 8px;
  max-width: 560px;
}
.mail {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 380px 1fr;
}
nav {
  overflow: auto;
  border-right: 1px solid var(--line);
}
nav a {
  display: grid;
  grid-template-columns: 1fr auto;
  padding: 6px 12px 6px 14px;
  text-decoration: none;
  border-bottom: 1px solid var(--line-2);
  border-left: 2px solid transparent;
}
nav a.here {
  background: var(--sheet);
  border-left-color: var(--accent);
}
nav b,
.subject {
  font-weight: 500;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.subject {
  color: var(--ink-2);
  font-weight: 400;
}
article {
  overflow: auto;
  padding: 14px 20px;
}
dl {
  display: grid;
  grid-template-columns: 96px 1fr;
  gap: 3px 8px;
  padding-bottom: 12px;
  border-bottom: 1px solid var(--line);
}
dt {
  color: var(--ink-2);
}
dd {
  margin: 0;
}
pre {
  font: inherit;
  white-space: pre-wrap;
  max-width: 72ch;
}
.files a {
  display: inline-block;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  padding: 5px 10px;
  margin-right: 8px;
  text-decoration: none;
}
.hint {
  margin: 72px auto;
}
</style>
