<script setup lang="ts">
/** A setting: its label above, help and what is wrong below the control. */
defineProps<{ label: string; about?: string; wrong?: string | undefined }>()
</script>

<template>
  <div class="field">
    <label>
      <span>{{ label }}</span>
      <slot />
    </label>
    <small v-if="about" class="help">{{ about }}</small>
    <span v-if="wrong" class="problem" role="alert">{{ wrong }}</span>
  </div>
</template>
