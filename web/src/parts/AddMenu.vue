<script setup lang="ts">
/** A button that adds one of several kinds, each with what it does. */
defineProps<{ label: string; kinds: { kind: string; name: string; about: string }[] }>()
const emit = defineEmits<{ add: [kind: string] }>()
</script>

<template>
  <el-dropdown trigger="click" @command="(kind: string) => emit('add', kind)">
    <el-button>{{ label }}</el-button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item v-for="one in kinds" :key="one.kind" :command="one.kind">
          {{ one.name }}<span class="quiet about">{{ one.about }}</span>
        </el-dropdown-item>
      </el-dropdown-menu>
    </template>
  </el-dropdown>
</template>

<style scoped>
.about {
  margin-left: 12px;
}
</style>
