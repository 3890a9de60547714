<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { done, useRuns } from '../api/runs'

defineEmits<{ find: [] }>()
const places = [
  { name: 'Sources', to: '/sources', under: ['/sources', '/sheets', '/forms', '/queries', '/connections'] },
  { name: 'Templates', to: '/templates', under: ['/templates', '/clauses'] },
  { name: 'Dispatches', to: '/dispatches', under: ['/dispatches', '/go', '/moves'] },
  { name: 'Runs', to: '/runs', under: ['/runs'] },
  { name: 'Signing', to: '/signing', under: ['/signing', '/verify'] },
  { name: 'Documents', to: '/documents', under: ['/documents', '/personal-data'] },
  { name: 'Ledger', to: '/ledger', under: ['/ledger'] },
]
const route = useRoute()
const runs = useRuns()
const run = computed(() => runs.going[0])
const here = (under: string[]) => under.some((path) => route.path.startsWith(path))
</script>

<template>
  <header class="bar">
    <RouterLink to="/dispatches" aria-label="Mangle" class="mark">
      <svg width="26" height="26" viewBox="0 0 26 26" aria-hidden="true">
        <circle cx="13" cy="7.2" r="5.2" fill="none" stroke="var(--accent)" stroke-width="2" />
        <circle cx="13" cy="18.8" r="5.2" fill="none" stroke="var(--accent)" stroke-width="2" />
        <path d="M1 13h24" stroke="var(--ink)" stroke-width="2" />
      </svg>
    </RouterLink>
    <nav aria-label="Main menu">
      <RouterLink
        v-for="place in places"
        :key="place.to"
        :to="place.to"
        :class="{ here: here(place.under) }"
        >{{ place.name }}</RouterLink
      >
    </nav>
    <button class="find" type="button" @click="$emit('find')">Search <kbd>Ctrl+K</kbd></button>
    <RouterLink v-if="run" class="going" :to="`/runs/${run.id}`">
      {{ run.dispatch_name }} · {{ done(run) }} of {{ run.count }}
      <i><b :style="{ width: `${(100 * done(run)) / Math.max(1, run.count)}%` }" /></i>
    </RouterLink>
    <RouterLink class="quiet" to="/practice/mailbox">Practice mailbox</RouterLink>
    <RouterLink class="quiet" to="/settings">Settings</RouterLink>
    <RouterLink class="quiet" to="/help">Help</RouterLink>
  </header>
</template>

<style scoped>
.bar {
  height: 44px;
  display: flex;
  align-items: center;
  gap: 22px;
  padding: 0 16px;
  border-bottom: 1px solid var(--line);
}
.mark {
  display: grid;
}
.bar a {
  text-decoration: none;
}
nav {
  display: flex;
  gap: 20px;
  height: 44px;
}
nav a {
  display: flex;
  align-items: center;
  color: var(--ink-2);
  border-bottom: 2px solid transparent;
  padding-top: 2px;
}
nav a:hover {
  color: var(--ink);
}
nav a.here {
  color: var(--ink);
  font-weight: 600;
  border-color: var(--accent);
}
.find {
  margin-left: auto;
  width: 190px;
  height: var(--control);
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  color: var(--ink-2);
  display: flex;
  align-items: center;
  justify-content: space-between;
  padding: 0 8px;
  font-size: 12px;
  cursor: pointer;
}
.going {
  font-size: 12px;
  color: var(--ink-2);
  width: 150px;
  white-space: nowrap;
}
.going i {
  display: block;
  height: 3px;
  margin-top: 3px;
  background: var(--line);
}
.going b {
  display: block;
  height: 3px;
  background: var(--accent);
}
</style>
