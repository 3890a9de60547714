<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { onMounted, ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { grouped } from '../api/words'

/** Imports that are going, each with how far it is and a way to stop it. */
const emit = defineEmits<{ ended: [] }>()
const going = ref<Schemas['JobInfo'][]>([])

async function look() {
  const { data } = await api.GET('/api/jobs').catch(() => ({ data: undefined }))
  if (!data) return
  const now = data.filter((job) => job.kind === 'import')
  const ended = going.value.some((job) => !now.some((other) => other.id === job.id))
  going.value = now
  if (ended) emit('ended')
}
onMounted(look)
useIntervalFn(look, 1000)

const stop = (job: Schemas['JobInfo']) =>
  attempt(() => ask(api.DELETE('/api/jobs/{id}', { params: { path: { id: job.id } } })))

const far = (job: Schemas['JobInfo']) => {
  if (job.state === 'waiting') return 'waiting'
  return job.phase === 'rows' && job.total ? `${grouped(job.done)} of ${grouped(job.total)} rows` : 'reading'
}
</script>

<template>
  <ul v-if="going.length" class="imports" aria-label="Imports">
    <li v-for="job in going" :key="job.id" role="status">
      <b>{{ job.name }}</b>
      <progress
        :value="job.total ? job.done : undefined"
        :max="job.total ?? undefined"
        :aria-label="job.name"
      />
      <span class="quiet">{{ far(job) }}</span>
      <el-button text @click="stop(job)">Stop</el-button>
    </li>
  </ul>
</template>

<style scoped>
.imports {
  margin: 0 0 12px;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 4px 0;
}
progress {
  width: 220px;
}
</style>
