<script setup lang="ts">
import { computed } from 'vue'

/** A placeholder with the spot of its problem marked; the spot counts bytes after "[:". */
const props = defineProps<{ text: string; start: number; end: number }>()
const parts = computed(() => {
  const bytes = new TextEncoder().encode(props.text)
  const cut = (from: number, to?: number) => new TextDecoder().decode(bytes.slice(from, to))
  const start = Math.min(props.start + 2, bytes.length)
  const end = Math.max(Math.min(props.end + 2, bytes.length), start)
  return [cut(0, start), cut(start, end), cut(end)]
})
</script>

<template>
  <span class="code name"
    >{{ parts[0] }}<mark>{{ parts[1] || '\u2038' }}</mark
    >{{ parts[2] }}</span
  >
</template>

<style scoped>
mark {
  background: var(--wrong-tint);
  color: var(--wrong);
  border-bottom: 2px solid var(--wrong);
}
</style>
