<script setup lang="ts">
import { onUnmounted, ref, watch } from 'vue'

import type { Bench } from '../api/bench'
import type { Schemas } from '../api/client'
import { count } from '../api/words'

/** The page of the record at hand, as it will be made. */
const props = defineProps<{
  bench: Bench
  at: number
  record: Schemas['RecordInfo'] | undefined
  page: Schemas['PageView'] | undefined
  problem: string
  found: number
}>()
defineEmits<{ step: [number]; finding: [] }>()

const urls = ref<string[]>([])
const free = () => urls.value.forEach((url) => URL.revokeObjectURL(url))
watch(
  () => props.page,
  (page) => {
    free()
    urls.value = (page?.pages ?? []).map((svg) =>
      URL.createObjectURL(new Blob([svg], { type: 'image/svg+xml' })),
    )
  },
  { immediate: true },
)
onUnmounted(free)
</script>

<template>
  <aside class="proof" aria-label="Page">
    <div class="step">
      <el-button aria-label="Record before" :disabled="!bench.records.length" @click="$emit('step', -1)"
        >←</el-button
      >
      <el-button aria-label="Next record" :disabled="!bench.records.length" @click="$emit('step', 1)"
        >→</el-button
      >
      <template v-if="record">
        <b>{{ at + 1 }} of {{ bench.records.length }}</b>
        <span class="label" :title="record.label">{{ record.label }}, row {{ record.row }}</span>
      </template>
      <span class="push" />
      <button v-if="found" type="button" class="say wrong" @click="$emit('finding')">
        {{ found }} with findings
      </button>
    </div>
    <div class="desk">
      <ul v-if="page?.findings.length" class="findings" role="alert">
        <li v-for="(finding, index) in page.findings" :key="index">
          <span v-if="finding.placeholder" class="code name">{{ finding.placeholder }}</span>
          {{ finding.message }}
        </li>
      </ul>
      <img v-for="(url, index) in urls" :key="url" :src="url" :alt="`Page ${index + 1}`" />
      <p v-if="problem" class="hint">{{ problem }}</p>
      <p v-else-if="!bench.template" class="hint">The page is shown here once a template is chosen.</p>
      <p v-else-if="!bench.sheet" class="hint">The page is shown here once a source is chosen.</p>
      <p v-else-if="!record" class="hint">No record is chosen; change the filter at Records.</p>
    </div>
    <div class="foot">
      <span>{{ page?.pages.length ? count(page.pages.length, 'page') : '' }}</span>
      <span class="code">{{ page?.file_name }}</span>
      <span><kbd>←</kbd> <kbd>→</kbd> step <kbd>F</kbd> next finding</span>
    </div>
  </aside>
</template>

<style scoped>
.proof {
  border-left: 1px solid var(--line);
  background: var(--desk);
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.step,
.foot {
  flex: none;
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 0 12px;
  background: var(--paper);
}
.step {
  height: 40px;
  border-bottom: 1px solid var(--line);
}
.step .el-button {
  padding: 0 8px;
}
.step .say {
  border: 0;
  cursor: pointer;
}
.step b,
.step .say {
  white-space: nowrap;
  flex: none;
}
.label {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-width: 0;
}
.foot {
  height: 34px;
  justify-content: space-between;
  font-size: 12px;
  color: var(--ink-2);
  border-top: 1px solid var(--line);
  white-space: nowrap;
}
.foot .code {
  overflow: hidden;
  text-overflow: ellipsis;
}
.desk {
  flex: 1;
  min-height: 0;
  overflow: auto;
  padding: 16px 20px;
}
.desk img {
  display: block;
  width: 100%;
  background: #fff;
  margin-bottom: 12px;
  box-shadow:
    0 1px 2px #0002,
    0 6px 18px #0000000f;
}
.findings {
  list-style: none;
  margin: 0 0 12px;
  padding: 8px 10px;
  background: var(--wrong-tint);
  color: var(--wrong);
  border-left: 3px solid var(--wrong);
}
.hint {
  text-align: center;
  margin: 96px auto;
}
</style>
