<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../../api/client'
import { count } from '../../api/words'
import FormLine from '../../parts/FormLine.vue'
import MessageText from '../../parts/MessageText.vue'
import type { ChannelProps } from '../../registries/channels'

/** The subject and the message: the channel's own, or those of a message template. */
const props = defineProps<ChannelProps<'email'>>()
type Text = Schemas['MessageText']

const templates = ref<Schemas['MessageInfo'][]>([])
const read = () => attempt(async () => (templates.value = await ask(api.GET('/api/messages'))))
onMounted(read)

const used = computed(() => templates.value.find((one) => one.key === props.channel.template?.key))
const version = computed(() => {
  const number = props.channel.template?.version ?? used.value?.in_use
  return used.value?.versions.find((one) => one.number === number)
})
const others = computed(
  () => used.value?.used_by.filter((one) => one.key !== props.bench.key && one.version === null).length ?? 0,
)

/** The text that is being edited and is not a version yet. */
const draft = ref<Text>()
const note = ref('')
const copy = (from: Text): Text => ({ subject: from.subject, body: from.body, html: from.html })

function choose(key: string | undefined) {
  draft.value = undefined
  props.change((c) => {
    // What was sent so far goes on as the channel's own text.
    if (!key && version.value) Object.assign(c, copy(version.value))
    c.template = key ? { key, version: null } : null
  })
}

async function save() {
  const text = draft.value
  const template = used.value
  if (!text || !template) return
  const params = { path: { key: template.key } }
  const body = {
    name: '',
    text,
    note: note.value,
    dispatch: props.bench.key,
    revision: template.revision,
  }
  if (!(await attempt(() => ask(api.POST('/api/messages/{key}/versions', { params, body }))))) return
  await read()
  draft.value = undefined
  note.value = ''
  // The pages show the new version.
  props.change((c) => (c.template = { key: template.key, version: null }))
  ElMessage({ message: `Version ${used.value?.in_use ?? ''} of “${template.name}” is saved and in use.` })
}

async function saveAs() {
  const asked = await ElMessageBox.prompt(
    'Other dispatches can use it too. A change becomes a new version for all of them.',
    'Save as message template',
    {
      inputPlaceholder: 'Name',
      inputPattern: /\S/,
      inputErrorMessage: 'Enter a name.',
      confirmButtonText: 'Save template',
      cancelButtonText: 'Cancel',
    },
  ).catch(() => undefined)
  const name = asked?.value?.trim()
  if (!name) return
  const body = { name, text: copy(props.channel), note: '', dispatch: props.bench.key, revision: null }
  const saved = await attempt(() => ask(api.POST('/api/messages', { body })))
  if (!saved) return
  props.change((c) => (c.template = { key: saved.key, version: null }))
  await read()
}
</script>

<template>
  <FormLine label="Message from">
    <el-select
      :model-value="channel.template?.key ?? ''"
      aria-label="Message from"
      filterable
      @change="(key: string) => choose(key || undefined)"
    >
      <el-option value="" label="This dispatch" />
      <el-option v-for="one in templates" :key="one.key" :value="one.key" :label="one.name" />
    </el-select>
  </FormLine>
  <FormLine v-if="used" label="Version" about="The version in use follows every change.">
    <el-select
      :model-value="channel.template?.version ?? 0"
      aria-label="Version"
      @change="
        (number: number) => change((c) => (c.template = { key: used?.key ?? '', version: number || null }))
      "
    >
      <el-option :value="0" :label="`In use (version ${used.in_use})`" />
      <el-option
        v-for="one in used.versions"
        :key="one.number"
        :value="one.number"
        :label="`Version ${one.number}${one.note ? `: ${one.note}` : ''}`"
      />
    </el-select>
  </FormLine>
  <template v-if="!channel.template">
    <MessageText :bench="bench" :text="channel" :change="change" />
    <div class="wide acts">
      <el-button @click="saveAs">Save as message template</el-button>
    </div>
  </template>
  <template v-else-if="draft">
    <MessageText :bench="bench" :text="draft" :change="(work) => draft && work(draft)" />
    <FormLine label="Note" about="What is new in this version">
      <el-input v-model="note" name="version-note" />
    </FormLine>
    <div class="wide acts">
      <el-button type="primary" @click="save"
        >Save as version {{ (used?.versions[0]?.number ?? 0) + 1 }}</el-button
      >
      <el-button @click="draft = undefined">Discard changes</el-button>
      <span v-if="others" class="quiet"
        >{{ count(others, 'other dispatch', 'other dispatches') }} will send it too.</span
      >
    </div>
  </template>
  <div v-else-if="used" class="wide acts">
    <el-button :disabled="!version" @click="draft = version && copy(version)">Edit message</el-button>
    <RouterLink :to="`/messages/${used.key}`">Versions</RouterLink>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  align-items: center;
  gap: 12px;
}
</style>
