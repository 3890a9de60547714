<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt } from '../api/client'
import type { Sheet } from '../api/sheet'
import { count, day } from '../api/words'

/** Where a sheet came from, and where its rows can go. */
const props = defineProps<{ it: Sheet }>()
const emit = defineEmits<{ newer: [] }>()
const router = useRouter()
const source = computed(() => props.it.source.value)
const total = computed(() => props.it.total.value)

async function dispatch() {
  const name = `${source.value?.name ?? ''} ${props.it.sheet.value?.name ?? ''}`.trim()
  const body = {
    name,
    sheet_id: props.it.sheet.value?.id ?? null,
    template_id: null,
    filter: props.it.filter.value,
  }
  const made = await attempt(() => ask(api.POST('/api/dispatches', { body })))
  if (made) await router.push(`/dispatches/${made.key}/template`)
}
</script>

<template>
  <div class="head">
    <h1>{{ source?.name }}</h1>
    <RouterLink v-if="source?.kind === 'form'" :to="`/forms/${source.id}`" class="quiet"
      >Form answers · Edit form</RouterLink
    >
    <RouterLink v-else-if="source?.kind === 'query'" :to="`/queries/${source.id}`" class="quiet"
      >CRM query · Edit or refresh</RouterLink
    >
    <span v-else class="quiet from" :title="source?.file_name"
      >{{ source?.file_name }}, imported {{ day(source?.brought_in) }}</span
    >
    <span class="push" />
    <el-button v-if="source?.kind === 'workbook'" @click="emit('newer')">Update from file</el-button>
    <el-dropdown trigger="click">
      <el-button>Export</el-button>
      <template #dropdown>
        <el-dropdown-menu>
          <el-dropdown-item v-for="format in ['xlsx', 'csv', 'ods', 'json']" :key="format">
            <a :href="it.exported(format)" class="plain" download
              >{{ count(total, 'row') }} as {{ format.toUpperCase() }}</a
            >
          </el-dropdown-item>
        </el-dropdown-menu>
      </template>
    </el-dropdown>
    <el-button type="primary" :disabled="!total || !!it.problem.value" @click="dispatch"
      >Create dispatch<template v-if="!it.reading.value || total">
        for {{ count(total, 'record') }}</template
      ></el-button
    >
  </div>
</template>

<style scoped>
.from {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-width: 0;
}
.plain {
  color: inherit;
  text-decoration: none;
}
</style>
