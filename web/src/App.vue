<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { useEventListener } from '@vueuse/core'
import { useRouter } from 'vue-router'

import { api, ask, attempt, tell, upload } from './api/client'
import { useRuns } from './api/runs'
import { goBy } from './api/words'
import Finder from './parts/Finder.vue'
import Imports from './parts/Imports.vue'
import Keys from './parts/Keys.vue'
import TopBar from './parts/TopBar.vue'

const router = useRouter()
const runs = useRuns()
/** Shown within the page of another program: without the bar. */
const framed = window.self !== window.top
const finding = ref(false)
const keys = ref(false)
const over = ref(false)
const taking = ref(false)

onMounted(() => {
  void attempt(runs.load)
  void attempt(async () => goBy((await ask(api.GET('/api/settings'))).time_zone))
  runs.listen()
})

function typing(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement | null
  return !!target?.closest('input, textarea, select, [contenteditable], .el-select')
}

useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
    event.preventDefault()
    finding.value = true
  } else if (event.key === '?' && !typing(event)) {
    keys.value = true
  }
})

// Files can be dropped on any screen.
useEventListener(window, 'dragover', (event: DragEvent) => {
  if (!event.dataTransfer?.types.includes('Files')) return
  event.preventDefault()
  over.value = true
})
useEventListener(window, 'dragleave', (event: DragEvent) => {
  if (!event.relatedTarget) over.value = false
})
useEventListener(window, 'drop', (event: DragEvent) => {
  over.value = false
  if (event.defaultPrevented || !event.dataTransfer?.files.length) return
  event.preventDefault()
  void take([...event.dataTransfer.files])
})

async function take(files: File[]) {
  taking.value = true
  const done = await attempt(() => ask(api.POST('/api/drop', upload(files))))
  taking.value = false
  if (!done) return
  if (done.dispatch) await router.push(`/dispatches/${done.dispatch}/mapping`)
  else if (done.templates[0]) await router.push(`/templates/${done.templates[0]}`)
  else if (done.sheet) await router.push(`/sheets/${done.sheet}`)
  // Told where the person is then.
  for (const problem of done.refused) tell(problem.message)
}
</script>

<template>
  <!-- Messages stand one above the other, out of the way of what is worked on. -->
  <el-config-provider :message="{ placement: 'bottom-left', max: 4 }">
    <TopBar v-if="!framed" @find="finding = true" />
    <main><RouterView @take="take" /></main>
  </el-config-provider>
  <Finder v-model="finding" />
  <Keys v-model="keys" />
  <div v-if="over || taking" class="drop" role="status">
    <template v-if="taking"><b>Reading the files…</b><Imports class="imports" /></template>
    <template v-else
      ><b>Drop data files and templates here</b
      ><span>Drop a data file and a DOCX template together to create a dispatch.</span></template
    >
  </div>
</template>

<style scoped>
main {
  display: flow-root;
  height: calc(100% - 44px);
}
.drop {
  position: fixed;
  inset: 52px 8px 8px;
  z-index: 3000;
  display: grid;
  place-content: center;
  gap: 4px;
  text-align: center;
  border: 2px dashed var(--accent);
  border-radius: var(--radius);
  background: color-mix(in srgb, var(--paper) 92%, transparent);
  pointer-events: none;
}
.drop .imports {
  pointer-events: auto;
}
</style>
