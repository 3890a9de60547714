<script setup lang="ts">
import { ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'

/** Which sites may show a form, or a CRM's records one by one, within their own pages. */
const props = defineProps<{ kind: Schemas['Framed']; id: number; about: string }>()
const text = ref('')
const saved = ref('')
const params = () => ({ path: { kind: props.kind, id: props.id } })
function take(frames: Schemas['Frames']) {
  saved.value = text.value = frames.origins.join(' ')
}
watch(
  () => props.id,
  () => attempt(async () => take(await ask(api.GET('/api/frames/{kind}/{id}', { params: params() })))),
  { immediate: true },
)
async function save() {
  const body = { origins: text.value.split(/[\s,]+/).filter(Boolean) }
  const got = await attempt(() => ask(api.PUT('/api/frames/{kind}/{id}', { params: params(), body })))
  if (!got) return
  take(got)
  ElMessage({ message: 'Saved' })
}
</script>

<template>
  <div class="sites">
    <label class="field-label"
      >Sites that may show it
      <el-input v-model="text" placeholder="None, e.g. https://crm.quay.example" />
    </label>
    <el-button :disabled="text.trim() === saved" @click="save">Save sites</el-button>
    <span class="quiet">{{ about }}</span>
  </div>
</template>

<style scoped>
.sites {
  display: grid;
  grid-template-columns: minmax(0, 360px) auto;
  gap: 4px 8px;
  align-items: end;
  margin: 12px 0;
}
.sites .quiet {
  grid-column: 1 / -1;
}
</style>
