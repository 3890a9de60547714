<script setup lang="ts">
/**
 * A setting: its label above, help and what is wrong below the control. Several controls, such
 * as radio buttons, are a group with a name of its own: a label would act on the first of them.
 */
defineProps<{ label: string; about?: string; wrong?: string | undefined; group?: boolean }>()
</script>

<template>
  <div class="field">
    <component :is="group ? 'div' : 'label'" class="line">
      <span>{{ label }}</span>
      <slot />
    </component>
    <small v-if="about" class="help">{{ about }}</small>
    <span v-if="wrong" class="problem" role="alert">{{ wrong }}</span>
  </div>
</template>
