<script setup lang="ts">
import { ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../../api/client'
import FormLine from '../../parts/FormLine.vue'
import NamedTexts from '../../parts/NamedTexts.vue'
import type { ChannelProps } from '../../registries/channels'

/** The settings of the web hook channel. */
const props = defineProps<ChannelProps<'web-hook'>>()
const told = ref<Schemas['TestAnswer']>()
const busy = ref(false)

const set = (at: number, field: 'name' | 'value', text: string) =>
  props.change((c) => {
    const one = c.values[at]
    if (one) one[field] = text
  }, true)

async function test() {
  busy.value = true
  const body = { url: props.channel.url }
  told.value = await attempt(() => ask(api.POST('/api/web-hook/test', { body })))
  busy.value = false
}
</script>

<template>
  <FormLine
    group
    class="wide"
    label="URL"
    :about="`Allowed: ${bench.hosts.join(', ') || 'none. Start Mangle with --allow-host HOST.'}`"
  >
    <div class="url">
      <el-input
        class="code"
        name="url"
        aria-label="URL"
        placeholder="https://office.example/hook"
        :model-value="channel.url"
        @update:model-value="(text: string) => change((c) => (c.url = text), true)"
      />
      <el-button :disabled="!channel.url.trim()" :loading="busy" @click="test">Test</el-button>
    </div>
  </FormLine>
  <p v-if="told" class="wide" :class="told.accepted ? 'right' : 'problem'" role="status">{{ told.answer }}</p>
  <FormLine label="Documents">
    <el-select
      :model-value="channel.documents"
      aria-label="Documents"
      @change="(documents: typeof channel.documents) => change((c) => (c.documents = documents))"
    >
      <el-option value="names" label="Name and size" />
      <el-option value="content" label="With content (base64)" />
    </el-select>
  </FormLine>
  <FormLine
    group
    class="wide"
    label="Values"
    about="Sent as JSON, with the document’s share link if there is one."
  >
    <NamedTexts
      :texts="channel.values"
      one="value"
      hint="name"
      @add="change((c) => c.values.push({ name: '', value: '' }))"
      @remove="(at) => change((c) => c.values.splice(at, 1))"
      @set="set"
    />
  </FormLine>
</template>

<style scoped>
.url {
  display: flex;
  gap: 8px;
}
</style>
