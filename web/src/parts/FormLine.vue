<script setup lang="ts">
/** A setting with its label, what it means, and what is wrong with it. */
defineProps<{ label: string; about?: string; wrong?: string | undefined }>()
</script>

<template>
  <label class="field">
    <span
      >{{ label }}<span v-if="about" class="about">, {{ about }}</span></span
    >
    <slot />
    <span v-if="wrong" class="problem" role="alert">{{ wrong }}</span>
  </label>
</template>
