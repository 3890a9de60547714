<script setup lang="ts">
import type { Schemas } from '../api/client'

/** What a pack asks before it is made, and the answers. */
const props = defineProps<{ questions: Schemas['Question'][]; answers: Record<string, string> }>()
defineEmits<{ answer: [about: string, value: string] }>()
const given = ({ about, usual }: Schemas['Question']) => props.answers[about] ?? usual
</script>

<template>
  <div v-for="one in questions" :key="one.about" class="field">
    <span>{{ one.about }}</span>
    <el-select
      :model-value="given(one)"
      :aria-label="one.about"
      @change="(value: string) => $emit('answer', one.about, value)"
    >
      <template v-if="one.choices.length">
        <el-option v-for="choice in one.choices" :key="choice" :value="choice" :label="choice" />
      </template>
      <template v-else>
        <el-option value="yes" label="Included" />
        <el-option value="no" label="Left out" />
      </template>
    </el-select>
  </div>
</template>
