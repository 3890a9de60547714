<script setup lang="ts">
import { computed } from 'vue'

import type { Sheet } from '../api/sheet'
import { count } from '../api/words'

/** What can be done with a sheet's rows and columns. */
const props = defineProps<{ it: Sheet; chosen: number; said: string }>()
const emit = defineEmits<{ add: []; remove: []; fill: []; show: [view: string] }>()
const undo = computed(() => props.it.undo.value)
const redo = computed(() => props.it.redo.value)
const only = computed(() => props.it.only.value)
const wrong = computed(() => props.it.misfits.value.reduce((sum, one) => sum + one, 0))
/** Whether the rows are made here, not in a CRM. */
const own = computed(() => props.it.source.value?.kind !== 'query')
const related = computed(() => props.it.sheet.value?.related.length ?? 0)
</script>

<template>
  <div class="tools">
    <el-button
      :disabled="!undo"
      :title="undo ? `Undo: ${undo} (Ctrl+Z)` : 'Nothing to undo'"
      @click="it.step(false)"
      >Undo</el-button
    >
    <el-button
      :disabled="!redo"
      :title="redo ? `Redo: ${redo} (Ctrl+Y)` : 'Nothing to redo'"
      @click="it.step(true)"
      >Redo</el-button
    >
    <span class="gap" />
    <el-button v-if="own" @click="emit('add')">Add row</el-button>
    <el-button v-if="own" :disabled="!it.total.value" @click="emit('remove')">Delete {{ said }}</el-button>
    <el-button :disabled="chosen < 2" title="Fill down (Ctrl+D)" @click="emit('fill')">Fill down</el-button>
    <span class="gap" />
    <el-button @click="emit('show', 'column/new')">Add column</el-button>
    <el-button @click="emit('show', 'relations')">{{
      related ? count(related, 'relation') : 'Relations'
    }}</el-button>
    <el-button @click="emit('show', 'files')">Files</el-button>
    <span class="push" />
    <button
      v-if="wrong || only !== undefined"
      type="button"
      class="say wrong"
      @click="it.show(only === undefined ? 0 : undefined)"
    >
      {{ only === undefined ? count(wrong, 'invalid cell') : 'Show all rows' }}
    </button>
  </div>
</template>

<style scoped>
.tools {
  flex: none;
  display: flex;
  align-items: center;
  gap: 6px;
  padding: 4px 12px;
  border-bottom: 1px solid var(--line);
}
.tools .el-button {
  margin: 0;
  padding: 0 8px;
  height: 24px;
  font-size: 12px;
}
.tools .say {
  border: 0;
  cursor: pointer;
}
.gap {
  width: 10px;
}
</style>
