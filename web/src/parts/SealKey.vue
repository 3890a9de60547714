<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { day } from '../api/words'
import FilePick from './FilePick.vue'
import FormLine from './FormLine.vue'
import Group from './Group.vue'
import { SETTINGS } from './settings'

/** The organisation's key for seals. */
const key = ref<Schemas['KeyInfo']>()
const password = ref('')
const busy = ref(false)
onMounted(() => attempt(async () => (key.value = await ask(api.GET('/api/seal-key')))))

async function bring(files: File[]) {
  const file = files[0]
  if (!file) return
  busy.value = true
  const body = new FormData()
  body.append('file', file)
  body.append('password', password.value)
  const got = await attempt(() =>
    ask(
      api.PUT('/api/seal-key', {
        body: body as never,
        bodySerializer: (own: unknown) => own as FormData,
      }),
    ),
  )
  busy.value = false
  if (!got) return
  key.value = got
  password.value = ''
  ElMessage({ message: 'Documents are sealed with this key from now on.' })
}
</script>

<template>
  <Group :level="2" :title="SETTINGS.seal.title" :says="key?.subject ?? ''">
    <p v-if="key" class="wide">
      Signed documents are sealed as <b>{{ key.subject }}</b> ({{
        key.own ? 'your own certificate' : 'a certificate made by Mangle'
      }}, valid until {{ day(key.until) }}).
    </p>
    <FormLine label="Password of the key file" about="For a key file (PKCS#12: .p12 or .pfx) of your own.">
      <el-input v-model="password" type="password" autocomplete="off" />
    </FormLine>
    <p><FilePick label="Use own key" accept=".p12,.pfx" :busy="busy" @files="bring" /></p>
  </Group>
</template>
