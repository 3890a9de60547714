<script setup lang="ts">
import { ref } from 'vue'

/** The office's logo on public pages, where it has one. */
const there = ref(true)
</script>

<template>
  <img v-if="there" class="office-mark" src="/api/logo" alt="" @error="there = false" />
</template>

<style scoped>
.office-mark {
  display: block;
  max-width: 220px;
  max-height: 56px;
  margin: 0 0 12px;
}
</style>
