<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../../api/client'
import { count, day, size } from '../../api/words'
import ChangeList from '../../parts/ChangeList.vue'

/** A template's versions, and what changed in the text between two. */
const props = defineProps<{ template: Schemas['TemplateDetail'] }>()
const emit = defineEmits<{
  show: [number]
  use: [number]
  restore: [number]
  note: [version: number, text: string]
}>()

const older = ref<number>()
const newer = ref<number>()
const changes = ref<Schemas['ChangeInfo'][]>()
watch(
  () => props.template,
  ({ shown, in_use: used, versions }) => {
    newer.value = shown
    const before = versions.find((v) => v.number < shown)?.number
    older.value = shown > used ? used : before
  },
  { immediate: true },
)
watch(
  [older, newer],
  async ([older, newer]) => {
    changes.value = undefined
    if (!older || !newer || older === newer) return
    const params = { path: { id: props.template.id }, query: { older, newer } }
    changes.value = await attempt(() => ask(api.GET('/api/templates/{id}/changes', { params })))
  },
  { immediate: true },
)
const newest = computed(() => props.template.versions[0]?.number)
const state = (number: number) =>
  number === props.template.in_use ? 'In use' : number > props.template.in_use ? 'Draft' : ''
</script>

<template>
  <table class="list">
    <thead>
      <tr>
        <th style="width: 62px" class="num">Version</th>
        <th style="width: 76px"><span class="unseen">State</span></th>
        <th>File</th>
        <th style="width: 128px">Uploaded</th>
        <th style="width: 128px">Note</th>
        <th style="width: 128px"><span class="unseen">Act</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in template.versions" :key="one.id" :class="{ here: one.number === template.shown }">
        <td class="num">
          <a :href="`?version=${one.number}`" @click.prevent="emit('show', one.number)">{{ one.number }}</a>
        </td>
        <td>
          <span
            v-if="state(one.number)"
            class="say"
            :class="state(one.number) === 'draft' ? 'att' : 'right'"
            >{{ state(one.number) }}</span
          >
        </td>
        <td :title="`${one.file_name}, ${size(one.size)}`">
          <a :href="`/api/versions/${one.id}`">{{ one.file_name }}</a>
        </td>
        <td class="quiet" :title="`${day(one.brought_in)}${one.brought_by ? ', ' + one.brought_by : ''}`">
          {{ day(one.brought_in) }}<template v-if="one.brought_by">, {{ one.brought_by }}</template>
        </td>
        <td>
          <input
            class="note"
            :value="one.note"
            :title="one.note"
            :aria-label="`Note of version ${one.number}`"
            placeholder="Add a note"
            @change="emit('note', one.id, ($event.target as HTMLInputElement).value)"
          />
        </td>
        <td class="does">
          <el-button
            v-if="one.number !== template.in_use && one.number > template.in_use"
            size="small"
            @click="emit('use', one.number)"
            >Use</el-button
          >
          <el-button
            v-else-if="one.number !== newest"
            size="small"
            :aria-label="`Restore version ${one.number}`"
            @click="emit('restore', one.number)"
            >Restore</el-button
          >
        </td>
      </tr>
    </tbody>
  </table>
  <template v-if="template.versions.length > 1">
    <h2>What changed</h2>
    <div class="between">
      from
      <el-select v-model="older" aria-label="Older version">
        <el-option
          v-for="one in template.versions"
          :key="one.id"
          :value="one.number"
          :label="`version ${one.number}`"
        />
      </el-select>
      to
      <el-select v-model="newer" aria-label="Newer version">
        <el-option
          v-for="one in template.versions"
          :key="one.id"
          :value="one.number"
          :label="`version ${one.number}`"
        />
      </el-select>
      <span v-if="changes" class="quiet">{{
        changes.length ? count(changes.length, 'line') : 'no changes in the text'
      }}</span>
    </div>
    <ChangeList v-if="changes?.length" :changes="changes" />
  </template>
  <p v-else class="quiet">One version so far. Uploading a new file adds a version.</p>
</template>

<style scoped>
h2 {
  margin: 20px 0 8px;
}
.between {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
}
.between .el-select {
  width: 120px;
}
tr.here td {
  background: var(--accent-tint);
}
.note {
  width: 100%;
  border: 1px solid transparent;
  background: none;
  border-radius: var(--radius);
  padding: 1px 4px;
  text-overflow: ellipsis;
}
.note:hover,
.note:focus {
  border-color: var(--line);
  background: var(--sheet);
}
.does {
  text-align: right;
}
</style>
