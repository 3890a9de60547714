<script setup lang="ts">
/** A line of a question to a CRM: which of some records, in which order, and how many. */
defineProps<{
  title: string
  /** What the controls are told apart by; nothing for the records that are asked for. */
  of?: string
  filter: string
  order: string
  first: number | null | undefined
  /** The fields that can be sorted by, with their labels. */
  fields: { name: string; label: string }[]
  example?: string
  wrong: { filter: string | undefined; order: string | undefined }
}>()
const emit = defineEmits<{ change: [{ filter?: string; order?: string; first?: number | null }] }>()
</script>

<template>
  <div class="asked-row" role="group" :aria-label="title">
    <b>{{ title }}</b>
    <div>
      <el-input
        :model-value="filter"
        class="mono"
        :aria-label="of ? `Filter of ${of}` : 'Filter'"
        :placeholder="example"
        @update:model-value="emit('change', { filter: $event })"
      />
      <span v-if="wrong.filter" class="problem" role="alert">{{ wrong.filter }}</span>
    </div>
    <div>
      <el-select
        :model-value="order || 'none'"
        :aria-label="of ? `Sort by of ${of}` : 'Sort by'"
        @update:model-value="emit('change', { order: $event === 'none' ? '' : $event })"
      >
        <el-option value="none" label="CRM order" />
        <template v-for="field in fields" :key="field.name">
          <el-option :value="field.name" :label="field.label" />
          <el-option :value="`-${field.name}`" :label="`${field.label}, descending`" />
        </template>
      </el-select>
      <span v-if="wrong.order" class="problem" role="alert">{{ wrong.order }}</span>
    </div>
    <el-input
      :model-value="first ?? ''"
      inputmode="numeric"
      :aria-label="of ? `Maximum of ${of}` : 'Maximum'"
      placeholder="all"
      @update:model-value="emit('change', { first: Number.parseInt($event) || null })"
    />
  </div>
</template>
