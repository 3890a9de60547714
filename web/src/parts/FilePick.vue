<script setup lang="ts">
import { ref } from 'vue'

/** A button that takes files. */
const props = defineProps<{ accept: string; label: string; main?: boolean; many?: boolean; busy?: boolean }>()
const emit = defineEmits<{ files: [File[]] }>()
const input = ref<HTMLInputElement>()

function chosen(event: Event) {
  const target = event.target as HTMLInputElement
  const files = [...(target.files ?? [])]
  // The same file may be chosen again after it was mended.
  target.value = ''
  if (files.length) emit('files', files)
}
</script>

<template>
  <el-button :type="props.main ? 'primary' : undefined" :loading="props.busy" @click="input?.click()">{{
    props.label
  }}</el-button>
  <input
    ref="input"
    type="file"
    class="file"
    :accept="props.accept"
    :multiple="props.many"
    :aria-label="props.label"
    tabindex="-1"
    @change="chosen"
  />
</template>

<style scoped>
.file {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
  pointer-events: none;
}
</style>
