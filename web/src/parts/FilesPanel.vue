<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas, upload } from '../api/client'
import { count, size } from '../api/words'
import FilePick from './FilePick.vue'

/** The files beside a sheet: pictures and others that its cells name. */
const props = defineProps<{ sheet: number; version: unknown }>()
const emit = defineEmits<{ changed: [] }>()
const files = ref<Schemas['SheetFile'][]>()
const busy = ref(0)
const total = ref(0)
const folder = ref<HTMLInputElement>()
const bytes = computed(() => files.value?.reduce((sum, f) => sum + f.size, 0) ?? 0)
const address = (name: string) => `/api/sheets/${props.sheet}/files/${encodeURIComponent(name)}`
const params = () => ({ path: { id: props.sheet } })

watch(
  () => [props.sheet, props.version],
  async () => {
    files.value = await attempt(() => ask(api.GET('/api/sheets/{id}/files', { params: params() })))
  },
  { immediate: true },
)

/** Sends files a few at a time, so that a large folder shows how far it is. */
async function add(all: File[]) {
  const wanted = all.filter((f) => f.size > 0 && !f.name.startsWith('.'))
  total.value = wanted.length
  for (let at = 0; at < wanted.length; at += 5) {
    busy.value = at + 1
    const options = { params: params(), ...upload(wanted.slice(at, at + 5)) }
    const kept = await attempt(() => ask(api.POST('/api/sheets/{id}/files', options)))
    if (!kept) break
    files.value = kept
  }
  busy.value = 0
  emit('changed')
}

/** The files of what is dropped, folders opened. */
async function dropped(event: DragEvent) {
  const entries = [...(event.dataTransfer?.items ?? [])].flatMap((item) => item.webkitGetAsEntry() ?? [])
  const found: File[] = []
  for (const entry of entries) await walk(entry, found)
  await add(found)
}
async function walk(entry: FileSystemEntry, found: File[]) {
  if (found.length >= 5_000) return
  if (entry.isFile) {
    found.push(await new Promise<File>((give, fail) => (entry as FileSystemFileEntry).file(give, fail)))
    return
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((give, fail) => reader.readEntries(give, fail))
    if (!some.length) return
    for (const one of some) await walk(one, found)
  }
}

async function remove(name: string) {
  const path = { path: { id: props.sheet, name } }
  const gone = await attempt(() => ask(api.DELETE('/api/sheets/{id}/files/{name}', { params: path })))
  if (gone) files.value = files.value?.filter((f) => f.name !== name)
  emit('changed')
}

function chosen(event: Event) {
  const input = event.target as HTMLInputElement
  const all = [...(input.files ?? [])]
  input.value = ''
  void add(all)
}
</script>

<template>
  <div class="panel-body" @dragover.prevent @drop.stop.prevent="dropped">
    <p class="quiet">
      Files that cells refer to by name. Pictures show in their cell and print with [:picture …]. Drop files
      or a folder here.
    </p>
    <div class="doing">
      <FilePick label="Add files" accept="" many :busy="busy > 0" @files="add" />
      <el-button :disabled="busy > 0" @click="folder?.click()">Add a folder</el-button>
      <input
        ref="folder"
        type="file"
        class="hidden"
        webkitdirectory
        aria-label="Add a folder"
        @change="chosen"
      />
    </div>
    <p v-if="busy" role="status">
      {{ busy }} of {{ count(total, 'file') }}
      <progress :value="busy" :max="total" />
    </p>
    <p v-if="files?.length" class="quiet">{{ count(files.length, 'file') }}, {{ size(bytes) }}</p>
    <ul v-if="files?.length" class="all">
      <li v-for="file in files.slice(0, 500)" :key="file.name">
        <img v-if="file.picture" :src="`${address(file.name)}?small=true`" alt="" loading="lazy" />
        <span v-else class="quiet">file</span>
        <a :href="address(file.name)" target="_blank" :title="file.name">{{ file.name }}</a>
        <span class="quiet">{{ size(file.size) }}</span>
        <el-button text :aria-label="`Remove ${file.name}`" @click="remove(file.name)">Remove</el-button>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.hidden {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}
.all {
  list-style: none;
  margin: 0;
  padding: 0;
}
.all li {
  display: grid;
  grid-template-columns: 36px minmax(0, 1fr) auto auto;
  gap: 8px;
  align-items: center;
  min-height: 32px;
  border-bottom: 1px solid var(--line-2);
}
.all a {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.all img {
  width: 36px;
  height: 28px;
  object-fit: contain;
}
</style>
