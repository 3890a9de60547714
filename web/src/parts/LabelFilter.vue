<script setup lang="ts">
/** The labels that there are, as switches: a list shows what has the one that is on. */
defineProps<{ names: string[] }>()
const chosen = defineModel<string>({ required: true })
</script>

<template>
  <p v-if="names.length" class="labels" role="group" aria-label="Labels">
    <button
      v-for="name in names"
      :key="name"
      type="button"
      class="kept"
      :class="{ on: name === chosen }"
      :aria-pressed="name === chosen"
      @click="chosen = name === chosen ? '' : name"
    >
      {{ name }}
    </button>
  </p>
</template>

<style scoped>
.labels {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 0 0 10px;
}
</style>
