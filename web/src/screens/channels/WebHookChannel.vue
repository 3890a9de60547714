<script setup lang="ts">
import { ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../../api/client'
import FormLine from '../../parts/FormLine.vue'
import type { ChannelProps } from '../../registries/channels'

/** The settings of the web hook channel. */
const props = defineProps<ChannelProps<'web-hook'>>()
const told = ref<Schemas['TestAnswer']>()
const busy = ref(false)

const add = () => props.change((c) => c.values.push({ name: '', value: '' }))
const remove = (at: number) => props.change((c) => c.values.splice(at, 1))

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
    <div v-for="(one, at) in channel.values" :key="at" class="value">
      <el-input
        :model-value="one.name"
        placeholder="name"
        :aria-label="`Name of value ${at + 1}`"
        @update:model-value="(text: string) => change((c) => (c.values[at]!.name = text), true)"
      />
      <el-input
        class="code"
        :model-value="one.value"
        placeholder="[: field]"
        :aria-label="`Value ${at + 1}`"
        @update:model-value="(text: string) => change((c) => (c.values[at]!.value = text), true)"
      />
      <el-button text :aria-label="`Remove value ${one.name || at + 1}`" @click="remove(at)"
        >Remove</el-button
      >
    </div>
    <div><el-button @click="add">Add value</el-button></div>
  </FormLine>
</template>

<style scoped>
.url,
.value {
  display: flex;
  gap: 8px;
  margin-bottom: 6px;
}
.value > :first-child {
  max-width: 200px;
}
</style>
