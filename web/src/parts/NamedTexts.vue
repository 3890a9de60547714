<script setup lang="ts">
/** Texts with placeholders, each with a name: values of a request, columns of a sheet. */
defineProps<{ texts: { name: string; value: string }[]; one: string; hint: string }>()
const emit = defineEmits<{
  add: []
  remove: [at: number]
  set: [at: number, field: 'name' | 'value', text: string]
}>()
</script>

<template>
  <div v-for="(own, at) in texts" :key="at" class="text">
    <el-input
      :model-value="own.name"
      :placeholder="hint"
      :aria-label="`Name of ${one} ${at + 1}`"
      @update:model-value="(text: string) => emit('set', at, 'name', text)"
    />
    <el-input
      class="code"
      :model-value="own.value"
      placeholder="[: field]"
      :aria-label="`Text of ${one} ${at + 1}`"
      @update:model-value="(text: string) => emit('set', at, 'value', text)"
    />
    <el-button text :aria-label="`Remove ${one} ${own.name || at + 1}`" @click="emit('remove', at)"
      >Remove</el-button
    >
  </div>
  <div>
    <el-button @click="emit('add')">Add {{ one }}</el-button>
  </div>
</template>

<style scoped>
.text {
  display: flex;
  gap: 8px;
  margin-bottom: 6px;
}
.text > :first-child {
  max-width: 200px;
}
</style>
