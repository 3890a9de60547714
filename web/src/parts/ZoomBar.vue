<script setup lang="ts">
/** How large pages are drawn; 1 fits the width. The pages stay sharp. */
const zoom = defineModel<number>({ required: true })
const steps = [0.5, 0.75, 1, 1.5, 2, 3, 4]
const next = (by: 1 | -1) => {
  const at = steps.indexOf(zoom.value)
  zoom.value = steps[Math.min(Math.max((at < 0 ? 2 : at) + by, 0), steps.length - 1)] ?? 1
}
</script>

<template>
  <span class="zoom" role="group" aria-label="Zoom">
    <button type="button" aria-label="Zoom out" :disabled="zoom <= 0.5" @click="next(-1)">−</button>
    <button type="button" title="Fit to width" @click="zoom = 1">
      {{ zoom === 1 ? 'Fit width' : `${zoom * 100}%` }}
    </button>
    <button type="button" aria-label="Zoom in" :disabled="zoom >= 4" @click="next(1)">+</button>
  </span>
</template>

<style scoped>
.zoom {
  display: inline-flex;
  flex: none;
}
button {
  border: 1px solid var(--line);
  background: none;
  color: inherit;
  padding: 1px 6px;
  min-width: 24px;
  min-height: 24px;
  cursor: pointer;
}
button:disabled {
  opacity: 0.5;
  cursor: default;
}
button + button {
  border-left: 0;
}
</style>
