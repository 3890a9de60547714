<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import { clock, eventWord, shortDay } from '../api/words'
import FormLine from './FormLine.vue'
import Group from './Group.vue'
import { SETTINGS } from './settings'

/** What web hooks are signed with, and what was answered to the last of them. */
const hook = ref<Schemas['WebHookBody']>()
const shown = ref(false)
const load = () => attempt(async () => (hook.value = await ask(api.GET('/api/web-hook'))))
onMounted(load)

async function copy() {
  if (!hook.value) return
  const secret = hook.value.secret
  await attempt(() => navigator.clipboard.writeText(secret))
  ElMessage({ message: 'Secret copied' })
}

async function renew() {
  const text = 'The other programs have to be given the new secret. Until then they refuse what Mangle sends.'
  const asked = {
    title: 'Make a new signing secret?',
    text,
    act: 'Make new secret',
    cancel: 'Cancel',
    destroys: true,
  }
  if (!(await confirmed(asked))) return
  const now = await attempt(() => ask(api.POST('/api/web-hook/secret')))
  if (!now) return
  hook.value = now
  ElMessage({ message: 'Signing secret made' })
}
</script>

<template>
  <Group
    v-if="hook"
    :level="2"
    :title="SETTINGS.webHooks.title"
    :says="hook.hosts.length ? `allowed: ${hook.hosts.join(', ')}` : 'no host is allowed'"
    fold
  >
    <FormLine
      group
      class="wide"
      label="Signing secret"
      about="The other program checks signatures with it (Standard Webhooks, HMAC-SHA-256)."
    >
      <div class="secret">
        <el-input
          :model-value="hook.secret"
          :type="shown ? 'text' : 'password'"
          readonly
          class="code"
          name="secret"
          aria-label="Signing secret"
        />
        <el-button @click="shown = !shown">{{ shown ? 'Hide' : 'Show' }}</el-button>
        <el-button @click="copy">Copy</el-button>
        <el-button @click="renew">Make new secret</el-button>
      </div>
    </FormLine>
    <div class="wide">
      <h3>Last answers</h3>
      <p v-if="!hook.answers.length" class="quiet">No web hook has been sent yet.</p>
      <table v-else>
        <tbody>
          <tr v-for="one in hook.answers" :key="one.id">
            <td class="quiet">{{ shortDay(one.at) }}, {{ clock(one.at) }}</td>
            <td>
              <RouterLink :to="`/runs/${one.run}`">{{ one.label }}</RouterLink>
            </td>
            <td>{{ eventWord(one.what) }}</td>
            <td class="text">{{ one.detail }}</td>
          </tr>
        </tbody>
      </table>
      <el-button v-if="hook.answers.length" @click="load">Refresh</el-button>
    </div>
  </Group>
</template>

<style scoped>
.secret {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.secret .el-input {
  flex: 1 1 260px;
}
.secret .el-button {
  margin: 0;
}
h3 {
  margin: 6px 0;
  font-size: 12px;
  color: var(--ink-2);
}
table {
  width: 100%;
  margin-bottom: 8px;
  border-collapse: collapse;
}
td {
  padding: 4px 12px 4px 0;
  border-top: 1px solid var(--line);
  vertical-align: top;
  white-space: nowrap;
}
td.text {
  width: 100%;
  white-space: normal;
  overflow-wrap: anywhere;
}
</style>
