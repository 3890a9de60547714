<script setup lang="ts">
import { computed, ref } from 'vue'

import type { PublicField, Sending } from './answer'

/** A field that files answer: each with how far it has come. */
const props = defineProps<{ field: PublicField; files: Sending[]; wrong: boolean }>()
const emit = defineEmits<{ add: [file: File]; remove: [which: number] }>()

const over = ref(false)
const pictures = computed(() => props.field.kind === 'picture')
const room = computed(() => Math.max(0, props.field.files - props.files.length))
const label = computed(() => {
  if (props.files.length) return pictures.value ? 'Add another picture' : 'Add another file'
  return pictures.value ? 'Add a picture' : 'Add a file'
})

function take(list: FileList | null | undefined) {
  for (const file of [...(list ?? [])].slice(0, room.value)) emit('add', file)
  over.value = false
}
function choose(event: Event) {
  const input = event.target as HTMLInputElement
  take(input.files)
  input.value = ''
}
const percent = (file: Sending) => `${Math.round(file.done * 100)}%`
</script>

<template>
  <ul v-if="files.length" class="files">
    <li v-for="(file, index) in files" :key="index">
      <span class="name">{{ file.name }}</span>
      <span v-if="file.wrong" class="wrong" role="alert">{{ file.wrong }}</span>
      <span v-else-if="file.key" class="there">uploaded</span>
      <progress v-else :value="file.done" :aria-label="`${file.name}, ${percent(file)}`">
        {{ percent(file) }}
      </progress>
      <button type="button" :aria-label="`Remove ${file.name}`" @click="emit('remove', index)">Remove</button>
    </li>
  </ul>
  <label
    v-if="room"
    class="drop"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="take($event.dataTransfer?.files)"
  >
    <input
      :id="`field-${field.id}`"
      type="file"
      :accept="pictures ? 'image/jpeg,image/png,image/gif,image/webp' : undefined"
      :multiple="room > 1"
      :aria-invalid="wrong"
      @change="choose"
    />
    {{ label }}<span class="limit">, up to {{ field.megabytes }} MB</span>
  </label>
</template>
