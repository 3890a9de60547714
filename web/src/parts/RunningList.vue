<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { count, shortDay } from '../api/words'

/** The running documents of a dispatch, to be downloaded. */
const props = defineProps<{ dispatch: string }>()
const all = ref<Schemas['RunningInfo'][]>([])
onMounted(() =>
  attempt(async () => {
    const params = { path: { key: props.dispatch } }
    all.value = await ask(api.GET('/api/dispatches/{key}/running', { params }))
  }),
)
const address = (name: string) =>
  `/api/dispatches/${encodeURIComponent(props.dispatch)}/running.pdf?name=${encodeURIComponent(name)}`
</script>

<template>
  <ul v-if="all.length" class="running" aria-label="Running documents">
    <li v-for="one in all" :key="one.name">
      <a :href="address(one.name)">{{ one.name }}.pdf</a>
      <span class="quiet"
        >{{ count(one.documents, 'document') }}, {{ count(one.pages, 'page') }}, last added
        {{ shortDay(one.changed) }}</span
      >
    </li>
  </ul>
</template>

<style scoped>
.running {
  list-style: none;
  margin: 0;
  padding: 0;
}
.running li {
  display: flex;
  gap: 10px;
}
</style>
