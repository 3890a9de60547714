<script setup lang="ts">
import { ref, watch } from 'vue'

import { api, ask, attempt, type Schemas, upload } from '../api/client'
import { count, size } from '../api/words'
import FilePick from './FilePick.vue'

/** The pictures that a dispatch's records name. */
const props = defineProps<{ dispatch: string }>()
const emit = defineEmits<{ changed: [] }>()
const pictures = ref<Schemas['PictureInfo'][]>([])
const open = ref(false)
const busy = ref(false)
const params = () => ({ path: { key: props.dispatch } })

watch(
  () => props.dispatch,
  () =>
    attempt(
      async () =>
        (pictures.value = await ask(api.GET('/api/dispatches/{key}/pictures', { params: params() }))),
    ),
  { immediate: true },
)

async function add(files: File[]) {
  busy.value = true
  const options = { params: params(), ...upload(files) }
  const kept = await attempt(() => ask(api.POST('/api/dispatches/{key}/pictures', options)))
  busy.value = false
  if (!kept) return
  pictures.value = kept
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
  <div class="folder" @dragover.prevent @drop.stop.prevent="add([...($event.dataTransfer?.files ?? [])])">
    <span>Pictures named by the records</span>
    <button v-if="pictures.length" type="button" class="plain" @click="open = !open">
      {{ count(pictures.length, 'picture') }}, {{ open ? 'close' : 'show' }}
    </button>
    <span v-else class="quiet">none yet</span>
    <FilePick label="Add pictures" accept="image/*,.svg" many :busy="busy" @files="add" />
  </div>
  <ul v-if="open && pictures.length" class="all">
    <li v-for="one in pictures" :key="one.name">
      <img
        :src="`/api/dispatches/${dispatch}/pictures/${encodeURIComponent(one.name)}`"
        alt=""
        loading="lazy"
      />
      <span class="name" :title="one.name">{{ one.name }}</span>
      <span class="quiet">{{ size(one.size) }}</span>
      <el-button text :aria-label="`Take ${one.name} out`" @click="remove(one.name)">Take out</el-button>
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
.plain {
  border: 0;
  background: none;
  padding: 0;
  cursor: pointer;
  color: var(--accent);
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
