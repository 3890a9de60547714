<script setup lang="ts">
/** A range of days: from one to another, both included. */
defineProps<{ from: string | undefined; to: string | undefined }>()
const emit = defineEmits<{ change: [range: Record<string, string>] }>()
const day = (event: Event) => (event.target as HTMLInputElement).value
</script>

<template>
  <label>From <input type="date" :value="from" @change="emit('change', { from: day($event) })" /></label>
  <label>To <input type="date" :value="to" @change="emit('change', { to: day($event) })" /></label>
</template>

<style scoped>
label {
  display: flex;
  gap: 4px;
  align-items: center;
  font-size: 12px;
  color: var(--ink-2);
}
input {
  height: var(--control);
  padding: 0 6px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  color: var(--ink);
}
</style>
