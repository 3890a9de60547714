<script setup lang="ts">
import { computed, onUnmounted, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../../api/client'
import { useSheets } from '../../api/design'
import { count } from '../../api/words'

/** Which ways through the template the records of a source take. */
const props = defineProps<{ template: Schemas['TemplateDetail']; version: Schemas['Version'] }>()
const emit = defineEmits<{ choose: [number[]] }>()
const { sheets, sheet, choose } = useSheets(props.template)
const coverage = ref<Schemas['CoverageView']>()
const onlyMissed = ref(false)
const busy = ref(false)

let wanted = new AbortController()
async function measure() {
  wanted.abort()
  if (!sheet.value || props.template.problems.length) return
  wanted = new AbortController()
  const { signal } = wanted
  busy.value = true
  const params = { path: { id: props.version.id }, query: { sheet: sheet.value.id } }
  const found = await attempt(() => ask(api.POST('/api/versions/{id}/coverage', { params, signal })), signal)
  if (signal.aborted) return
  busy.value = false
  coverage.value = found
}
watch([() => sheet.value?.id, () => props.version.id], measure, { immediate: true })
onUnmounted(() => wanted.abort())

const missed = computed(() => coverage.value?.ways.filter((w) => !w.records).length ?? 0)
const shown = computed(() => coverage.value?.ways.filter((w) => !onlyMissed.value || !w.records) ?? [])
const tryOut = (row: number) => ({
  path: `/templates/${props.template.id}/try-out`,
  query: { version: String(props.template.shown), sheet: String(sheet.value?.id), row: String(row) },
})
</script>

<template>
  <p v-if="template.problems.length" class="problem">Fix this version’s problems to see coverage.</p>
  <p v-else-if="!sheets.length" class="quiet">
    No source yet. <RouterLink to="/sources">Import one</RouterLink> to see coverage.
  </p>
  <template v-else>
    <div class="from">
      <el-select :model-value="sheet?.id" aria-label="Source of the records" @change="choose">
        <el-option v-for="one in sheets" :key="one.id" :value="one.id" :label="one.label" />
      </el-select>
      <span v-if="busy" class="quiet">Filling {{ count(sheet?.rows ?? 0, 'record') }}…</span>
      <template v-else-if="coverage">
        <span class="say" :class="missed ? 'att' : 'right'"
          >{{ coverage.ways.length - missed }} of {{ coverage.ways.length }} branches used</span
        >
        <span class="quiet">by {{ count(coverage.records, 'record') }}</span>
      </template>
      <span class="push" />
      <el-checkbox v-model="onlyMissed" label="Unused branches only" />
    </div>
    <p v-if="coverage?.open.length" class="problem">
      No column in this source for {{ coverage.open.join(', ') }}. Map them in a dispatch that uses this
      template and source.
    </p>
    <p v-if="coverage?.first_failed" class="problem">
      {{ count(coverage.failed, 'record') }} can’t be filled. First:
      <RouterLink :to="tryOut(coverage.first_failed.row)"
        >{{ coverage.first_failed.label }}, row {{ coverage.first_failed.row }}</RouterLink
      >.
    </p>
    <p v-if="coverage && !coverage.ways.length" class="quiet">
      No conditions, lists or fallbacks: all records use the same text.
    </p>
    <table v-if="shown.length" class="list">
      <thead>
        <tr>
          <th style="width: 46%">Placeholder</th>
          <th>Branch</th>
          <th class="num" style="width: 64px">Records</th>
          <th style="width: 130px">Example</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(way, index) in shown"
          :key="index"
          class="opens"
          :class="{ missed: !way.records }"
          @click="emit('choose', [way.placeholder])"
        >
          <td class="code name" :title="way.text">{{ way.text }}</td>
          <td :title="way.words">{{ way.words }}</td>
          <td class="num">{{ way.records || '' }}</td>
          <td>
            <RouterLink
              v-if="way.first"
              :to="tryOut(way.first.row)"
              :title="`Row ${way.first.row}`"
              @click.stop
              >{{ way.first.label }}</RouterLink
            >
            <span v-else class="say att">Unused</span>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else-if="coverage?.ways.length" class="quiet">Every branch is used by at least one record.</p>
  </template>
</template>

<style scoped>
.from {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
  white-space: nowrap;
}
.from .el-select {
  width: 180px;
  flex: none;
}
</style>
