<script setup lang="ts">
import createClient from 'openapi-fetch'
import { reactive, ref } from 'vue'

import type { paths } from '../api/schema'
import type { Words } from './words'

/** Declines to sign, or has somebody else sign. */
const props = defineProps<{ token: string; signerKey: string; what: 'decline' | 'hand-on'; words: Words }>()
const emit = defineEmits<{ done: [said: string]; cancel: [] }>()
const api = createClient<paths>({ baseUrl: '/' })
const reason = ref('')
const other = reactive({ name: '', email: '' })
const problem = ref('')
const busy = ref(false)

async function leave() {
  busy.value = true
  problem.value = ''
  const params = { path: { token: props.token } }
  const key = props.signerKey
  const declines = props.what === 'decline'
  const got = declines
    ? await api
        .POST('/api/signer/{token}/decline', { params, body: { key, reason: reason.value } })
        .catch(() => undefined)
    : await api
        .POST('/api/signer/{token}/hand-on', { params, body: { key, ...other } })
        .catch(() => undefined)
  busy.value = false
  if (got?.response.ok) return emit('done', declines ? props.words.declinedDone : props.words.handedOn)
  problem.value = (got?.error as { message?: string } | undefined)?.message ?? props.words.offline
}
</script>

<template>
  <fieldset class="aside">
    <legend>{{ what === 'decline' ? words.declineTitle : words.handOnTitle }}</legend>
    <label v-if="what === 'decline'">{{ words.reason }} <input v-model="reason" maxlength="500" /></label>
    <template v-else>
      <label>{{ words.name }} <input v-model="other.name" maxlength="200" /></label>
      <label>{{ words.email }} <input v-model="other.email" type="email" /></label>
    </template>
    <p v-if="problem" class="wrong" role="alert">{{ problem }}</p>
    <div class="acts">
      <button type="button" @click="emit('cancel')">{{ words.cancel }}</button>
      <button type="button" :disabled="busy" @click="leave">
        {{ what === 'decline' ? words.decline : words.send }}
      </button>
    </div>
  </fieldset>
</template>
