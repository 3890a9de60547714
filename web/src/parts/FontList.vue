<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { api, ask, attempt, type Schemas, upload } from '../api/client'
import { size } from '../api/words'
import FilePick from './FilePick.vue'
import { SETTINGS } from './settings'

/** The fonts that a person brought in, for documents that name them. */
const fonts = ref<Schemas['FontInfo'][]>([])
const busy = ref(false)

onMounted(() => attempt(async () => (fonts.value = await ask(api.GET('/api/fonts')))))

async function add(files: File[]) {
  if (!files.length) return
  busy.value = true
  const kept = await attempt(() => ask(api.POST('/api/fonts', upload(files))))
  busy.value = false
  if (kept) fonts.value = kept
}

async function remove(id: number) {
  const kept = await attempt(() => ask(api.DELETE('/api/fonts/{id}', { params: { path: { id } } })))
  if (kept) fonts.value = kept
}
</script>

<template>
  <section
    class="fonts"
    aria-labelledby="fonts"
    @dragover.prevent
    @drop.stop.prevent="add([...($event.dataTransfer?.files ?? [])])"
  >
    <h2 id="fonts">{{ SETTINGS.fonts.title }}</h2>
    <p class="quiet">
      Common office fonts are replaced by fonts of equal widths. Upload any other font that a template uses,
      or embed it in the template.
    </p>
    <table v-if="fonts.length" class="list">
      <tbody>
        <tr v-for="font in fonts" :key="font.id">
          <td>{{ font.families.join(', ') }}</td>
          <td class="quiet">{{ font.name }}</td>
          <td class="num quiet">{{ size(font.size) }}</td>
          <td>
            <el-button text :aria-label="`Remove ${font.name}`" @click="remove(font.id)">Remove</el-button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else class="quiet">No fonts uploaded yet.</p>
    <FilePick label="Upload fonts" accept=".ttf,.otf,.ttc" many :busy="busy" @files="add" />
  </section>
</template>

<style scoped>
.fonts {
  max-width: 640px;
}
h2 {
  margin: 0 0 6px;
  font-size: 13px;
  font-weight: 600;
  padding-bottom: 5px;
  border-bottom: 1px solid var(--line);
}
</style>
