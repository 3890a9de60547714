<script setup lang="ts">
import { ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { useSheets } from '../api/design'

/** Shows a template's page with a record of the source that fits it best, in place of its placeholders. */
const props = defineProps<{ template: Schemas['TemplateDetail']; version: Schemas['Version'] }>()
const emit = defineEmits<{ tried: [Schemas['Tryout'] | undefined] }>()
const { sheet } = useSheets(props.template)
const on = ref(false)
const label = ref('')

async function show(wanted: boolean) {
  on.value = wanted
  if (!wanted || !sheet.value) return emit('tried', undefined)
  const path = { id: props.version.id }
  const query = { sheet: sheet.value.id }
  const made = await attempt(async () => {
    const record = await ask(api.GET('/api/versions/{id}/values', { params: { path, query } }))
    label.value = record.label
    const body = { values: record.values, locale: 'en-GB', moment: null }
    return await ask(api.POST('/api/versions/{id}/try', { params: { path }, body }))
  })
  // Switched off meanwhile: the template's own page stays.
  if (!on.value) return
  emit('tried', made)
  on.value = !!made
}
</script>

<template>
  <el-checkbox v-if="sheet?.fits" :model-value="on" @update:model-value="show(!!$event)"
    >Sample record<template v-if="on && label">: {{ label }}</template></el-checkbox
  >
</template>
