<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'

/** Ready-made set-ups: one click lays out template, records and dispatch. */
const emit = defineEmits<{ done: [] }>()
const router = useRouter()
const all = ref<Schemas['StarterInfo'][]>([])
const busy = ref('')
onMounted(() => attempt(async () => (all.value = await ask(api.GET('/api/starters')))))

async function layOut(one: Schemas['StarterInfo']) {
  busy.value = one.key
  const made = await attempt(() =>
    ask(api.POST('/api/starters/{key}', { params: { path: { key: one.key } } })),
  )
  busy.value = ''
  if (!made) return
  ElMessage({ message: `“${one.name}” is ready. Change whatever you like: it is yours.` })
  emit('done')
  await router.push(`/dispatches/${made.key}`)
}
</script>

<template>
  <ul class="starters">
    <li v-for="one in all" :key="one.key">
      <div>
        <b>{{ one.name }}</b>
        <span>{{ one.about }}</span>
        <span class="quiet">{{ one.shows }}</span>
      </div>
      <el-button
        :aria-label="`Use ${one.name}`"
        :loading="busy === one.key"
        :disabled="!!busy && busy !== one.key"
        @click="layOut(one)"
        >Use</el-button
      >
    </li>
  </ul>
</template>

<style scoped>
.starters {
  list-style: none;
  margin: 0;
  padding: 0;
  text-align: left;
}
li {
  display: flex;
  gap: 16px;
  align-items: center;
  justify-content: space-between;
  padding: 8px 0;
  border-bottom: 1px solid var(--line-2);
}
li div {
  display: grid;
  gap: 1px;
}
</style>
