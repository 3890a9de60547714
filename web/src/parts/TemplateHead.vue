<script setup lang="ts">
import type { Schemas } from '../api/client'
import { count, size } from '../api/words'
import FilePick from './FilePick.vue'

/** Which version of a template is shown, its state, and what can be done with it. */
defineProps<{ template: Schemas['TemplateDetail']; version: Schemas['Version']; busy: boolean }>()
defineEmits<{ show: [number]; use: []; remove: []; files: [File[]] }>()
</script>

<template>
  <div class="head">
    <h1>{{ template.name }}</h1>
    <el-select
      :model-value="template.shown"
      class="version"
      aria-label="Version"
      @change="(number: number) => $emit('show', number)"
    >
      <el-option
        v-for="one in template.versions"
        :key="one.id"
        :value="one.number"
        :label="`Version ${one.number}`"
      />
    </el-select>
    <span v-if="template.shown >= template.in_use && template.problems.length" class="say wrong"
      >Has {{ count(template.problems.length, 'problem')
      }}{{ template.shown > template.in_use ? `. Version ${template.in_use} is in use` : '' }}</span
    >
    <span v-else-if="template.shown > template.in_use" class="say att"
      >Draft. Version {{ template.in_use }} is in use</span
    >
    <span v-else-if="template.shown === template.in_use" class="say right">In use</span>
    <span v-else class="say">Older version</span>
    <span v-if="!template.pack" class="quiet file" :title="version.file_name"
      >{{ version.file_name }}, {{ size(version.size) }}</span
    >
    <span class="push" />
    <el-button
      v-if="template.shown !== template.in_use"
      :disabled="!!template.problems.length"
      :title="template.problems.length ? 'Fix its problems first' : ''"
      @click="$emit('use')"
      >Use version {{ template.shown }}</el-button
    >
    <el-button @click="$emit('remove')">{{ template.pack ? 'Delete pack' : 'Delete template' }}</el-button>
    <FilePick
      v-if="!template.pack"
      label="Upload new version"
      accept=".docx"
      main
      :busy="busy"
      @files="$emit('files', $event)"
    />
  </div>
</template>

<style scoped>
.version {
  width: 116px;
  flex: none;
}
.head h1,
.file {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  min-width: 0;
}
</style>
