<script setup lang="ts">
import { computed } from 'vue'

import { api, ask, attempt, type Schemas } from '../../api/client'
import { confirmed } from '../../api/confirm'
import { count, day } from '../../api/words'
import ChangeList from '../../parts/ChangeList.vue'

/** Kept sets of values, and whether this version makes of them what it must. */
const props = defineProps<{
  template: Schemas['TemplateDetail']
  specimens: Schemas['SpecimenInfo'][]
}>()
const emit = defineEmits<{ changed: [] }>()
const WORDS: Record<string, [string, string]> = {
  same: ['Passes', 'right'],
  changed: ['Output differs', 'att'],
  failed: ['Can’t be filled', 'wrong'],
}
const different = computed(() => props.specimens.filter((s) => s.state !== 'same').length)
const query = () => ({ version: props.template.shown })

async function accept(one: Schemas['SpecimenInfo']) {
  const params = { path: { id: one.id }, query: query() }
  const kept = await attempt(() => ask(api.PUT('/api/specimens/{id}/accepted', { params })))
  if (kept) emit('changed')
}
async function acceptAll() {
  for (const one of props.specimens.filter((s) => s.state === 'changed')) await accept(one)
}
async function remove(one: Schemas['SpecimenInfo']) {
  const text = `Delete test case “${one.name}”? This can’t be undone.`
  if (!(await confirmed({ title: 'Delete test case', text, act: 'Delete test case', destroys: true }))) return
  const gone = await attempt(() =>
    ask(api.DELETE('/api/specimens/{id}', { params: { path: { id: one.id } } })),
  )
  if (gone) emit('changed')
}
</script>

<template>
  <div v-if="!specimens.length" class="empty">
    <h2>No test cases yet</h2>
    <p>
      A test case is a set of saved values with its expected text. Every new version is checked against all
      test cases before it is used.
    </p>
    <RouterLink :to="`/templates/${template.id}/try-out`">Try out the template and save one</RouterLink>
  </div>
  <template v-else>
    <p>
      {{ count(specimens.length, 'test case') }} checked against version {{ template.shown }}:
      {{ different ? `${different} ${different === 1 ? 'differs' : 'differ'}` : 'all pass' }}.
      <el-button v-if="specimens.filter((s) => s.state === 'changed').length > 1" @click="acceptAll"
        >Accept all</el-button
      >
    </p>
    <article v-for="one in specimens" :key="one.id">
      <header>
        <b>{{ one.name }}</b>
        <span class="say" :class="WORDS[one.state]?.[1]">{{ WORDS[one.state]?.[0] }}</span>
        <span class="quiet">saved with version {{ one.version }}, {{ day(one.kept) }}, {{ one.locale }}</span>
        <span class="push" />
        <RouterLink
          :to="{
            path: `/templates/${template.id}/try-out`,
            query: { version: template.shown, specimen: one.id },
          }"
          >Try out</RouterLink
        >
        <el-button v-if="one.state === 'changed'" size="small" @click="accept(one)">Accept</el-button>
        <el-button size="small" :aria-label="`Delete ${one.name}`" @click="remove(one)">Delete</el-button>
      </header>
      <p v-if="one.fault" class="problem">{{ one.fault }}</p>
      <ChangeList v-if="one.changes.length" :changes="one.changes" />
    </article>
  </template>
</template>

<style scoped>
article {
  border-bottom: 1px solid var(--line);
  padding: 8px 0;
}
header {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
</style>
