<script setup lang="ts">
import { computed, ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'

/** The guide, and all functions of the placeholder language. */
const props = defineProps<{ page?: string }>()
const pages = ref<Schemas['HelpPage'][]>([])
const functions = ref<Schemas['FunctionInfo'][]>([])
const search = ref('')

void attempt(async () => {
  pages.value = await ask(api.GET('/api/help'))
  functions.value = await ask(api.GET('/api/language/functions'))
})

const FUNCTIONS = 'functions'
const at = computed(() => props.page || pages.value[0]?.key)
const shown = computed(() => pages.value.find((page) => page.key === at.value))
const words = computed(() => search.value.toLowerCase().split(/\s+/).filter(Boolean))
const holds = (text: string) => words.value.every((word) => text.toLowerCase().includes(word))
const found = computed(() => pages.value.filter((page) => holds(`${page.title} ${page.text}`)))
const foundFunctions = computed(() =>
  functions.value.filter((f) => holds(`${f.name} ${f.syntax} ${f.about}`)),
)

/** Where what is searched for stands on a page. */
function excerpt(page: Schemas['HelpPage']): string {
  const place = page.text.toLowerCase().indexOf(words.value[0] ?? '')
  return words.value.length && place >= 0 ? `…${page.text.slice(Math.max(0, place - 40), place + 60)}…` : ''
}
</script>

<template>
  <div class="screen">
    <div class="head">
      <h1>Help</h1>
      <span class="push" />
      <el-input
        v-model="search"
        class="search"
        clearable
        aria-label="Search help"
        placeholder="Search help"
      />
    </div>
    <div class="desk">
      <nav aria-label="Help pages">
        <RouterLink
          v-for="one in found"
          :key="one.key"
          :to="`/help/${one.key}`"
          :class="{ here: one.key === at }"
          >{{ one.title }}<small v-if="excerpt(one)" class="quiet">{{ excerpt(one) }}</small></RouterLink
        >
        <RouterLink
          v-if="foundFunctions.length"
          :to="`/help/${FUNCTIONS}`"
          :class="{ here: at === FUNCTIONS }"
          >Functions<small v-if="search" class="quiet">{{ foundFunctions.length }} found</small></RouterLink
        >
        <p v-if="!found.length && !foundFunctions.length" class="quiet">No matches</p>
      </nav>
      <article v-if="at === FUNCTIONS" class="text" tabindex="0">
        <h2>Functions</h2>
        <table>
          <thead>
            <tr>
              <th>Function</th>
              <th>Result</th>
              <th>Example</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="f in foundFunctions" :key="f.name">
              <td>
                <code>{{ f.syntax }}</code>
              </td>
              <td>
                {{ f.about
                }}<small v-if="f.clause" class="quiet"> OpenDocument 1.3 part 4, {{ f.clause }}</small>
              </td>
              <td>
                <code>{{ f.example }}</code> {{ f.result }}
              </td>
            </tr>
          </tbody>
        </table>
      </article>
      <article v-else-if="shown" class="text" tabindex="0">
        <h2>{{ shown.title }}</h2>
        <!-- eslint-disable-next-line vue/no-v-html -- the guide ships with the program -->
        <div v-html="shown.html" />
      </article>
    </div>
  </div>
</template>

<style scoped>
.search {
  width: 260px;
}
.desk {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 260px minmax(0, 1fr);
}
nav {
  border-right: 1px solid var(--line);
  overflow: auto;
  padding: 8px 0;
}
nav a {
  display: block;
  padding: 7px 16px;
  text-decoration: none;
  border-left: 3px solid transparent;
}
nav a.here {
  background: var(--accent-tint);
  border-left-color: var(--accent);
}
nav small {
  display: block;
}
nav p {
  padding: 0 16px;
}
.text {
  overflow: auto;
  padding: 16px 32px 48px;
  font-size: 14px;
  line-height: 1.55;
}
.text > * {
  max-width: 860px;
}
.text :deep(h2) {
  font-size: 16px;
  margin: 24px 0 6px;
}
.text > h2 {
  margin: 0 0 12px;
  font-size: 20px;
}
.text :deep(p),
.text :deep(li) {
  max-width: 720px;
}
.text :deep(img) {
  display: block;
  max-width: 100%;
  margin: 12px 0;
  border: 1px solid var(--line);
}
.text :deep(table) {
  border-collapse: collapse;
  margin: 8px 0 16px;
}
.text :deep(th),
.text :deep(td) {
  text-align: left;
  vertical-align: top;
  padding: 4px 16px 4px 0;
  border-bottom: 1px solid var(--line-2);
}
.text :deep(code) {
  font: 12.5px var(--mono);
  font-variant-ligatures: none;
}
.text :deep(pre) {
  padding: 10px 12px;
  background: var(--head);
  overflow: auto;
}
</style>
