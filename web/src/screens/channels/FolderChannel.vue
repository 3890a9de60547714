<script setup lang="ts">
import FormLine from '../../parts/FormLine.vue'
import type { ChannelProps } from '../../registries/channels'

/** The settings of the folder channel. */
defineProps<ChannelProps<'folder'>>()
const clashes = [
  ['number', 'Number the new file'],
  ['replace', 'Replace the old file'],
  ['fail', 'Report an error'],
] as const
</script>

<template>
  <FormLine
    label="Folder"
    :about="bench.folders.length ? '' : 'None allowed. Start Mangle with --allow-folder NAME=PATH.'"
  >
    <el-select
      :model-value="channel.folder || undefined"
      placeholder="Choose a folder"
      aria-label="Folder"
      @change="(name: string) => change((c) => (c.folder = name))"
    >
      <el-option v-for="name in bench.folders" :key="name" :value="name" :label="name" />
    </el-select>
  </FormLine>
  <FormLine label="If the file exists">
    <el-select
      :model-value="channel.clash"
      aria-label="If the file exists"
      @change="(clash: typeof channel.clash) => change((c) => (c.clash = clash))"
    >
      <el-option v-for="[clash, label] in clashes" :key="clash" :value="clash" :label="label" />
    </el-select>
  </FormLine>
  <FormLine
    class="wide"
    label="Subfolders"
    about="Separated by /, with placeholders, e.g. Licences/[: year]. Missing ones are created."
  >
    <el-input
      class="code"
      name="path"
      :model-value="channel.path"
      @update:model-value="(text: string) => change((c) => (c.path = text), true)"
    />
  </FormLine>
</template>
