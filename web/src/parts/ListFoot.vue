<script setup lang="ts">
/** A line below a list: what it is about, where it leads, and what there is to know. */
export interface FootLine {
  to: string
  name: string
  text: string
  tone?: 'att' | 'wrong'
}
export interface FootSection {
  title: string
  /** What is said where there are no lines. */
  none: string
  lines: FootLine[]
}

/** What helps next, below a list with few rows. */
defineProps<{ sections: FootSection[] }>()
</script>

<template>
  <div class="foot">
    <section v-for="section in sections" :key="section.title" :aria-label="section.title">
      <h2>{{ section.title }}</h2>
      <ul v-if="section.lines.length">
        <li v-for="line in section.lines" :key="`${line.to} ${line.name}`">
          <RouterLink :to="line.to">{{ line.name }}</RouterLink>
          <span :class="line.tone ? `say ${line.tone}` : 'quiet'" :title="line.text">{{ line.text }}</span>
        </li>
      </ul>
      <p v-else class="quiet">{{ section.none }}</p>
    </section>
  </div>
</template>

<style scoped>
.foot {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(320px, 1fr));
  gap: 20px 32px;
  margin-top: 32px;
}
h2 {
  font-size: 13px;
  padding: 0 10px 6px;
  border-bottom: 1px solid var(--line);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  gap: 12px;
  align-items: center;
  min-height: var(--row);
  padding: 0 10px;
  border-bottom: 1px solid var(--line-2);
}
li a {
  flex: none;
  max-width: 50%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
li span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
p {
  margin: 8px 10px;
}
</style>
