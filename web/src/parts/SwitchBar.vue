<script setup lang="ts">
/** Whether one of several things is used, what it does in words, and the way to remove it. */
defineProps<{ on: boolean; name: string; says?: string }>()
const emit = defineEmits<{ set: [on: boolean]; remove: [] }>()
</script>

<template>
  <div class="wide bar">
    <el-switch
      :model-value="on"
      :aria-label="`Use ${name}`"
      @change="(value) => emit('set', Boolean(value))"
    />
    <span class="quiet">{{ on ? (says ? `On: ${says}` : 'On') : 'Off' }}</span>
    <span class="push" />
    <el-button text :aria-label="`Remove ${name}`" @click="emit('remove')">Remove</el-button>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 8px;
  margin-bottom: 6px;
}
</style>
