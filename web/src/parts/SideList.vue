<script setup lang="ts">
/** A list beside what is chosen in it: each entry with its address, its name and a line below. */
defineProps<{
  label: string
  entries: { to: string; name: string; says: string; text?: string; here: boolean }[]
}>()
</script>

<template>
  <div class="columns">
    <nav :aria-label="label">
      <RouterLink v-for="one in entries" :key="one.to" :to="one.to" :class="{ here: one.here }">
        <b>{{ one.name }}</b> <span class="quiet">{{ one.says }}</span>
        <span v-if="one.text" class="text">{{ one.text }}</span>
      </RouterLink>
    </nav>
    <slot />
  </div>
</template>

<style scoped>
.columns {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 340px minmax(0, 1fr);
}
nav {
  border-right: 1px solid var(--line);
  overflow: auto;
}
nav a {
  display: block;
  padding: 8px 16px;
  text-decoration: none;
  border-bottom: 1px solid var(--line-2);
}
nav a.here {
  background: var(--accent-tint);
  box-shadow: inset 2px 0 var(--accent);
}
.text {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  color: var(--ink-2);
  font-size: 12px;
}
</style>
