<script setup lang="ts">
import { defineAsyncComponent } from 'vue'

/** The pages of a PDF within a screen of the office, with their own scroll bar. */
defineProps<{ address: string; name: string }>()
/** Loaded once there is something to look at. */
const Pages = defineAsyncComponent(() => import('../shared/SharedPages.vue'))
</script>

<template>
  <Pages :key="address" class="pdf-pages" :address="address" :name="name" />
</template>

<style scoped>
.pdf-pages {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border: 1px solid var(--line);
  background: var(--desk);
}
.pdf-pages :deep(.tools) {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 8px;
  background: var(--paper);
  border-bottom: 1px solid var(--line);
}
.pdf-pages :deep(.tools span) {
  flex: 1;
}
.pdf-pages :deep(.tools button) {
  min-width: 28px;
  height: 24px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  cursor: pointer;
}
.pdf-pages :deep(.frame) {
  position: relative;
  flex: 1;
}
.pdf-pages :deep(.scroll) {
  position: absolute;
  inset: 0;
  overflow: auto;
}
</style>
