<script setup lang="ts">
import { computed } from 'vue'

import { api, ask, attempt, type Schemas } from '../../api/client'
import { count, day } from '../../api/words'
import ChangeList from '../../parts/ChangeList.vue'

/** Kept sets of values, and whether this version makes of them what it must. */
const props = defineProps<{
  template: Schemas['TemplateDetail']
  specimens: Schemas['SpecimenInfo'][]
}>()
const emit = defineEmits<{ changed: [] }>()
const WORDS: Record<string, [string, string]> = {
  same: ['as it must be', 'right'],
  changed: ['comes out differently', 'att'],
  failed: ['can’t be filled', 'wrong'],
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
  try {
    await ElMessageBox.confirm(
      `Delete the specimen “${one.name}”? It can't be brought back.`,
      'Delete specimen',
      {
        confirmButtonText: 'Delete specimen',
        cancelButtonText: 'Keep',
      },
    )
  } catch {
    return
  }
  const gone = await attempt(() =>
    ask(api.DELETE('/api/specimens/{id}', { params: { path: { id: one.id } } })),
  )
  if (gone) emit('changed')
}
</script>

<template>
  <div v-if="!specimens.length" class="empty">
    <h2>No specimens yet</h2>
    <p>
      A specimen is a kept set of values with the text that it must give. Each newer version is checked
      against all of them before it is put in use.
    </p>
    <RouterLink :to="`/templates/${template.id}/try-out`">Try the template out and keep one</RouterLink>
  </div>
  <template v-else>
    <p>
      {{ count(specimens.length, 'specimen') }} checked against version {{ template.shown }}:
      {{ different ? `${different} not as they must be` : 'all as they must be' }}.
      <el-button v-if="specimens.filter((s) => s.state === 'changed').length > 1" @click="acceptAll"
        >Take all as right</el-button
      >
    </p>
    <article v-for="one in specimens" :key="one.id">
      <header>
        <b>{{ one.name }}</b>
        <span class="say" :class="WORDS[one.state]?.[1]">{{ WORDS[one.state]?.[0] }}</span>
        <span class="quiet">kept with version {{ one.version }}, {{ day(one.kept) }}, {{ one.locale }}</span>
        <span class="push" />
        <RouterLink
          :to="{
            path: `/templates/${template.id}/try-out`,
            query: { version: template.shown, specimen: one.id },
          }"
          >Try out</RouterLink
        >
        <el-button v-if="one.state === 'changed'" size="small" @click="accept(one)">Take as right</el-button>
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
