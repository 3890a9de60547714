<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import FormLine from './FormLine.vue'
import Group from './Group.vue'
import { SETTINGS } from './settings'

/** The office's mail server: how it is reached, and a message that tries it. */
const props = defineProps<{ person: string }>()

type Server = NonNullable<Schemas['MailBody']['server']>
const server = ref<Server>()
const own = ref(false)
const hasSecret = ref(false)
const revision = ref(0)
const secret = ref('')
const told = ref<Schemas['TestAnswer']>()
const busy = ref(false)

const start = (): Server => ({
  host: '',
  port: 587,
  security: 'starttls',
  sign_in: 'password',
  user: '',
  hello: '',
  trust: '',
  per_minute: null,
  per_hour: null,
})

type Bounces = NonNullable<Schemas['MailBody']['bounces']>
const bounces = ref<Bounces>()
const bouncesHasSecret = ref(false)
const bouncesSecret = ref('')
const startBounces = (): Bounces => ({
  address: '',
  host: '',
  port: 993,
  security: 'tls',
  sign_in: 'password',
  user: '',
  trust: '',
})

function take(body: Schemas['MailBody']) {
  own.value = !!body.server
  server.value = body.server ?? start()
  hasSecret.value = body.has_secret
  revision.value = body.revision
  secret.value = ''
  bounces.value = body.bounces ?? undefined
  bouncesHasSecret.value = body.bounces_has_secret
  bouncesSecret.value = ''
}
onMounted(() => attempt(async () => take(await ask(api.GET('/api/mail-server')))))

/** Saves what is entered; whether it could be. */
async function save() {
  told.value = undefined
  const body = {
    server: own.value ? (server.value ?? null) : null,
    secret: secret.value || null,
    bounces: bounces.value ?? null,
    bounces_secret: bouncesSecret.value || null,
    revision: revision.value,
  }
  const kept = await attempt(() => ask(api.PUT('/api/mail-server', { body })))
  if (!kept) return false
  take(kept)
  return true
}

async function saveAndSay() {
  if (await save()) ElMessage({ message: 'Mail server saved' })
}

async function test() {
  busy.value = true
  told.value = undefined
  if (await save()) {
    const body = { to: props.person }
    told.value = await attempt(() => ask(api.POST('/api/mail-server/test', { body })))
  }
  busy.value = false
}

const says = computed(() => {
  if (!own.value || !server.value?.host) return 'the server Mangle was started with'
  const signed = server.value.sign_in === 'none' ? '' : `, signed in as ${server.value.user}`
  return `${server.value.host}:${server.value.port}${signed}`
})
const word = computed(() => (server.value?.sign_in === 'token' ? 'Access token' : 'Password'))

/** With TLS from the begin, servers listen elsewhere. */
function secure(security: Server['security']) {
  if (!server.value) return
  if (security === 'tls' && server.value.port === 587) server.value.port = 465
  if (security === 'starttls' && server.value.port === 465) server.value.port = 587
  server.value.security = security
}

const RATES = [
  ['per_minute', 'Messages per minute'],
  ['per_hour', 'Messages per hour'],
] as const
const rate = (text: string) => Number.parseInt(text, 10) || null
</script>

<template>
  <form v-if="server" class="mail-server" aria-label="Mail server" @submit.prevent="saveAndSay">
    <Group :level="2" :title="SETTINGS.mailServer.title" :says="says">
      <FormLine group class="wide" label="Send messages through">
        <el-radio-group v-model="own" aria-label="Send messages through">
          <el-radio :value="false">The server Mangle was started with</el-radio>
          <el-radio :value="true">Another server</el-radio>
        </el-radio-group>
      </FormLine>
      <template v-if="own">
        <FormLine label="Server">
          <el-input v-model="server.host" name="host" placeholder="mail.example.com" />
        </FormLine>
        <FormLine label="Port">
          <el-input-number v-model="server.port" :min="1" :max="65535" :controls="false" aria-label="Port" />
        </FormLine>
        <FormLine label="Encryption">
          <el-select :model-value="server.security" aria-label="Encryption" @change="secure">
            <el-option value="starttls" label="STARTTLS" />
            <el-option value="tls" label="TLS from the start" />
            <el-option value="none" label="None" />
          </el-select>
        </FormLine>
        <FormLine label="Sign-in">
          <el-select v-model="server.sign_in" aria-label="Sign-in">
            <el-option value="password" label="User name and password" />
            <el-option value="token" label="Access token (XOAUTH2)" />
            <el-option value="none" label="None" />
          </el-select>
        </FormLine>
        <template v-if="server.sign_in !== 'none'">
          <FormLine label="User name">
            <el-input v-model="server.user" name="user" autocomplete="off" />
          </FormLine>
          <FormLine
            :label="word"
            :about="hasSecret ? 'Saved, encrypted. Leave blank to keep it.' : 'Saved encrypted.'"
          >
            <el-input v-model="secret" type="password" name="secret" autocomplete="new-password" />
          </FormLine>
        </template>
        <Group class="wide" title="More" fold :level="3">
          <FormLine v-for="[field, label] in RATES" :key="field" :label="label" about="Blank for no limit.">
            <el-input
              :model-value="server[field]?.toString() ?? ''"
              inputmode="numeric"
              @update:model-value="(text: string) => server && (server[field] = rate(text))"
            />
          </FormLine>
          <FormLine label="This computer’s name" about="What Mangle greets the server with (EHLO).">
            <el-input v-model="server.hello" placeholder="mangle" />
          </FormLine>
          <FormLine
            class="wide"
            label="Trusted certificate"
            about="PEM. Only needed if your server’s certificate comes from an authority of your own."
          >
            <el-input v-model="server.trust" class="code" type="textarea" :rows="4" />
          </FormLine>
        </Group>
      </template>
      <FormLine
        group
        class="wide"
        label="Bounces"
        about="Messages that can’t be delivered come back to a mailbox of yours. Mangle reads it and shows on the delivery why."
      >
        <el-checkbox :model-value="!!bounces" @change="(on) => (bounces = on ? startBounces() : undefined)"
          >Read a bounce mailbox</el-checkbox
        >
      </FormLine>
      <template v-if="bounces">
        <FormLine label="Bounce address" about="Must also get mail to bounces+anything@ …">
          <el-input v-model="bounces.address" name="bounce-address" placeholder="bounces@office.example" />
        </FormLine>
        <FormLine label="IMAP server">
          <el-input v-model="bounces.host" name="bounce-host" placeholder="imap.office.example" />
        </FormLine>
        <FormLine label="IMAP port">
          <el-input-number
            v-model="bounces.port"
            :min="1"
            :max="65535"
            :controls="false"
            aria-label="IMAP port"
          />
        </FormLine>
        <FormLine label="IMAP encryption">
          <el-select v-model="bounces.security" aria-label="IMAP encryption">
            <el-option value="tls" label="TLS from the start" />
            <el-option value="none" label="None (this machine only)" />
          </el-select>
        </FormLine>
        <FormLine label="IMAP user name">
          <el-input v-model="bounces.user" name="bounce-user" autocomplete="off" />
        </FormLine>
        <FormLine
          label="IMAP password"
          :about="bouncesHasSecret ? 'Saved, encrypted. Leave blank to keep it.' : 'Saved encrypted.'"
        >
          <el-input
            v-model="bouncesSecret"
            type="password"
            name="bounce-secret"
            autocomplete="new-password"
          />
        </FormLine>
      </template>
      <div class="wide acts">
        <el-button native-type="submit">Save mail server</el-button>
        <el-button :disabled="!person.trim()" :loading="busy" @click="test">Send test message</el-button>
        <span v-if="!person.trim()" class="quiet">Enter your e-mail address above to receive it.</span>
      </div>
      <p v-if="told" class="wide" :class="told.accepted ? 'right' : 'problem'" role="status">
        {{ told.accepted ? `The server accepted the message for ${person}: ${told.answer}` : told.answer }}
      </p>
    </Group>
  </form>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
.acts .el-button {
  margin: 0;
}
.mail-server :deep(.el-input-number .el-input__inner) {
  text-align: left;
}
</style>
