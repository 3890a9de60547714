<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import FormulaInput from './FormulaInput.vue'

/** The condition over a sheet's rows, and the filters kept for it. */
const props = defineProps<{ sheet: Schemas['SheetInfo']; problem: string }>()
const emit = defineEmits<{ changed: [Schemas['SheetInfo']] }>()
const filter = defineModel<string>('filter', { required: true })
const find = defineModel<string>('find', { required: true })
const text = ref(filter.value)
const name = ref('')
const naming = ref(false)

watch(filter, (now) => (text.value = now))
const kept = computed(() => props.sheet.filters.find((f) => f.condition === filter.value))

async function keep() {
  const params = { path: { id: props.sheet.id } }
  const body = { name: name.value, condition: filter.value }
  const changed = await attempt(() => ask(api.POST('/api/sheets/{id}/filters', { params, body })))
  if (!changed) return
  emit('changed', changed)
  naming.value = false
  name.value = ''
}

async function drop() {
  if (!kept.value) return
  await attempt(() => ask(api.DELETE('/api/filters/{id}', { params: { path: { id: kept.value?.id ?? 0 } } })))
  const changed = await attempt(() =>
    ask(api.GET('/api/sheets/{id}', { params: { path: { id: props.sheet.id } } })),
  )
  if (changed) emit('changed', changed)
}
</script>

<template>
  <div class="filters">
    <div class="condition">
      <FormulaInput
        v-model="text"
        :sheet="sheet.id"
        label="Filter"
        placeholder='e.g. status = "overdue"'
        @done="filter = text"
      />
    </div>
    <el-input v-model="find" class="find" clearable aria-label="Search rows" placeholder="Search rows" />
    <span v-if="problem" class="problem" role="alert">{{ problem }}</span>
    <span class="push" />
    <template v-if="naming">
      <el-input
        v-model="name"
        class="find"
        aria-label="Filter name"
        placeholder="Filter name"
        @keydown.enter="keep"
      />
      <el-button @click="keep">Save</el-button>
    </template>
    <el-button v-else-if="filter && !kept && !problem" @click="naming = true">Save filter</el-button>
    <el-button v-else-if="kept" text @click="drop">Delete filter “{{ kept.name }}”</el-button>
    <span v-if="sheet.filters.length" class="quiet">Saved filters:</span>
    <button
      v-for="own in sheet.filters"
      :key="own.id"
      type="button"
      class="kept"
      :class="{ on: own.condition === filter }"
      @click="filter = own.condition === filter ? '' : own.condition"
    >
      {{ own.name }}
    </button>
  </div>
</template>

<style scoped>
.filters {
  min-height: 40px;
  flex: none;
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  padding: 5px 12px;
  border-bottom: 1px solid var(--line);
}
.condition {
  width: 340px;
}
.find {
  width: 160px;
}
</style>
