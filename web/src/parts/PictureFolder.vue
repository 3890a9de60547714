<script setup lang="ts">
import { ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { count, size } from '../api/words'
import FilesPanel from './FilesPanel.vue'

/** The files that a dispatch's records name: those beside its sheet, and those that were
    once put beside the dispatch alone. */
const props = defineProps<{ dispatch: string; sheet: number }>()
const emit = defineEmits<{ changed: [] }>()
const pictures = ref<Schemas['PictureInfo'][]>([])
const open = ref(false)
const version = ref(0)
const files = ref(0)
const params = () => ({ path: { key: props.dispatch } })

watch(
  () => [props.dispatch, props.sheet, version.value] as const,
  ([, id]) =>
    attempt(async () => {
      pictures.value = await ask(api.GET('/api/dispatches/{key}/pictures', { params: params() }))
      files.value = (await ask(api.GET('/api/sheets/{id}/files', { params: { path: { id } } }))).length
    }),
  { immediate: true },
)
function changed() {
  version.value++
  emit('changed')
}

async function remove(name: string) {
  const gone = await attempt(() =>
    ask(
      api.DELETE('/api/dispatches/{key}/pictures/{name}', {
        params: { path: { key: props.dispatch, name } },
      }),
    ),
  )
  if (!gone) return
  pictures.value = pictures.value.filter((one) => one.name !== name)
  emit('changed')
}
</script>

<template>
  <div class="folder">
    <span>Pictures for these records</span>
    <span class="quiet">{{
      files + pictures.length ? count(files + pictures.length, 'file') : 'none yet'
    }}</span>
    <el-button :aria-expanded="open" @click="open = !open">{{ open ? 'Close' : 'Show and add' }}</el-button>
  </div>
  <FilesPanel v-if="open" class="files" :sheet="sheet" :version="version" @changed="changed" />
  <p v-if="open && pictures.length" class="quiet">
    {{ count(pictures.length, 'more picture') }} with this dispatch alone:
  </p>
  <ul v-if="open && pictures.length" class="all">
    <li v-for="one in pictures" :key="one.name">
      <img
        :src="`/api/dispatches/${dispatch}/pictures/${encodeURIComponent(one.name)}`"
        alt=""
        loading="lazy"
      />
      <span class="name" :title="one.name">{{ one.name }}</span>
      <span class="quiet">{{ size(one.size) }}</span>
      <el-button text :aria-label="`Remove ${one.name}`" @click="remove(one.name)">Remove</el-button>
    </li>
  </ul>
</template>

<style scoped>
.folder {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
}
.files {
  max-height: 260px;
  overflow: auto;
  margin-bottom: 8px;
  padding: 8px 12px;
  border: 1px solid var(--line);
}
.all {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
  max-height: 160px;
  overflow: auto;
}
.all li {
  display: grid;
  grid-template-columns: 40px minmax(0, 1fr) 70px 70px;
  gap: 8px;
  align-items: center;
  border-bottom: 1px solid var(--line-2);
}
.all img {
  height: 28px;
  max-width: 40px;
  object-fit: contain;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
