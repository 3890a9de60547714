<script setup lang="ts">
/** Related settings below a heading; those rarely used fold away, and the heading says what is set. */
withDefaults(defineProps<{ title: string; says?: string; fold?: boolean; level?: 2 | 3 }>(), {
  level: 3,
  says: '',
})
</script>

<template>
  <details v-if="fold" class="group">
    <summary>
      <component :is="`h${level}`" class="title">{{ title }}</component>
      <span class="quiet">{{ says }}</span>
    </summary>
    <div class="fields"><slot /></div>
  </details>
  <section v-else class="group" :aria-label="title">
    <component :is="`h${level}`" class="title">{{ title }}</component>
    <div class="fields"><slot /></div>
  </section>
</template>

<style scoped>
.group {
  max-width: 640px;
  margin: 10px 0 16px;
}
.title {
  display: inline-block;
  margin: 0;
  font-size: 13px;
  font-weight: 600;
}
section > .title {
  display: block;
  padding-bottom: 5px;
  border-bottom: 1px solid var(--line);
}
summary {
  display: flex;
  gap: 10px;
  align-items: center;
  min-height: var(--control);
  padding-bottom: 5px;
  border-bottom: 1px solid var(--line);
  cursor: pointer;
}
summary::before {
  content: '';
  width: 6px;
  height: 6px;
  border: solid var(--ink-2);
  border-width: 0 1.5px 1.5px 0;
  transform: rotate(-45deg);
}
details[open] > summary::before {
  transform: rotate(45deg);
}
summary .quiet {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
/* Fields as wide as they need, side by side where there is room for two. */
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(220px, 1fr));
  gap: 0 20px;
  align-items: start;
  padding-top: 10px;
}
.fields :deep(.wide) {
  grid-column: 1 / -1;
}
</style>
