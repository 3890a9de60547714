<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import { count, day } from '../api/words'
import SideList from '../parts/SideList.vue'

/** Message templates: a subject and a message that several dispatches send, with versions. */
const props = defineProps<{ id?: string }>()
const router = useRouter()
const messages = ref<Schemas['MessageInfo'][]>()
onMounted(() => attempt(async () => (messages.value = await ask(api.GET('/api/messages')))))
const chosen = computed(() => messages.value?.find((one) => one.key === props.id))

const entries = computed(() =>
  (messages.value ?? []).map((one) => ({
    to: `/messages/${one.key}`,
    name: one.name,
    says: `version ${one.in_use}, ${one.used_by.length ? count(one.used_by.length, 'dispatch', 'dispatches') : 'not used'}`,
    here: one.key === props.id,
  })),
)

/** The version that is shown: the one in use, or one that was clicked. */
const clicked = ref<number>()
watch(
  () => props.id,
  () => (clicked.value = undefined),
)
const shown = computed(() =>
  chosen.value?.versions.find((one) => one.number === (clicked.value ?? chosen.value?.in_use)),
)

async function change(changed: { name?: string; in_use?: number }) {
  const one = chosen.value
  if (!one) return
  const params = { path: { key: one.key } }
  const body = { ...changed, revision: one.revision }
  const kept = await attempt(() => ask(api.PUT('/api/messages/{key}', { params, body })))
  if (kept) messages.value = kept
}

async function remove() {
  const one = chosen.value
  if (!one) return
  const text = `Delete “${one.name}” with ${count(one.versions.length, 'version')}? This can’t be undone.`
  if (!(await confirmed({ title: 'Delete message template', text, act: 'Delete template', destroys: true })))
    return
  const left = await attempt(() =>
    ask(api.DELETE('/api/messages/{key}', { params: { path: { key: one.key } } })),
  )
  if (!left) return
  messages.value = left
  await router.replace('/messages')
}

/** The text of a formatted message, for reading. */
const text = (version: Schemas['MessageVersion']) =>
  version.html
    ? (new DOMParser().parseFromString(version.html.replace(/<\/(p|h\d|li|tr)>/g, '\n'), 'text/html').body
        .textContent ?? '')
    : version.body
</script>

<template>
  <div class="screen">
    <div class="head">
      <RouterLink to="/templates" class="quiet">Templates</RouterLink>
      <h1>Messages</h1>
      <span class="quiet">E-mail messages that several dispatches send</span>
    </div>
    <div v-if="messages && !messages.length" class="body">
      <div class="empty">
        <h2>No message templates yet</h2>
        <p>
          Write a message in a dispatch, under Channels, and choose <b>Save as message template</b>. Other
          dispatches can then send it too, and every change is a version.
        </p>
        <el-button type="primary" @click="router.push('/dispatches')">Open dispatches</el-button>
      </div>
    </div>
    <SideList v-else-if="messages" label="Message templates" :entries="entries">
      <div v-if="chosen" class="detail">
        <label class="field"
          ><span>Name</span
          ><el-input
            :model-value="chosen.name"
            aria-label="Name"
            @change="(name: string) => change({ name })"
        /></label>
        <p v-if="chosen.used_by.length" class="quiet">
          Used by
          <template v-for="(by, at) in chosen.used_by" :key="at"
            ><template v-if="at">, </template
            ><RouterLink :to="`/dispatches/${by.key}/channels`">{{ by.name }}</RouterLink
            ><template v-if="by.version"> (version {{ by.version }})</template></template
          >
        </p>
        <table class="list">
          <thead>
            <tr>
              <th style="width: 62px" class="num">Version</th>
              <th style="width: 76px">State</th>
              <th>Subject</th>
              <th style="width: 140px">Note</th>
              <th style="width: 200px">Saved</th>
              <th style="width: 90px"><span class="unseen">Act</span></th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="one in chosen.versions"
              :key="one.number"
              :class="{ here: one.number === shown?.number }"
            >
              <td class="num">
                <a href="#" @click.prevent="clicked = one.number">{{ one.number }}</a>
              </td>
              <td><span v-if="one.number === chosen.in_use" class="say right">In use</span></td>
              <td class="code">{{ one.subject }}</td>
              <td>{{ one.note }}</td>
              <td class="quiet">
                {{ day(one.made) }}<template v-if="one.made_by">, {{ one.made_by }}</template>
              </td>
              <td class="does">
                <el-button
                  v-if="one.number !== chosen.in_use"
                  size="small"
                  :aria-label="`Use version ${one.number}`"
                  @click="change({ in_use: one.number })"
                  >Use</el-button
                >
              </td>
            </tr>
          </tbody>
        </table>
        <template v-if="shown">
          <h2>Version {{ shown.number }}</h2>
          <pre class="code text">{{ text(shown).trim() }}</pre>
        </template>
        <p><el-button :disabled="chosen.used_by.length > 0" @click="remove">Delete</el-button></p>
      </div>
      <p v-else class="quiet hint-text">
        {{ count(messages.length, 'message template') }}. Choose one to see its versions.
      </p>
    </SideList>
  </div>
</template>

<style scoped>
.detail {
  padding: 14px 16px;
  overflow: auto;
  max-width: 900px;
}
tr.here td {
  background: var(--accent-tint);
}
.text {
  white-space: pre-wrap;
  border: 1px solid var(--line);
  padding: 10px 12px;
}
.does {
  text-align: right;
}
h2 {
  margin-top: 16px;
}
.hint-text {
  padding: 24px;
}
</style>
