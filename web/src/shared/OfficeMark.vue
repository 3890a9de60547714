<script setup lang="ts">
import { ref } from 'vue'

/** The office's logo on public pages, where it has one: served by the program, no file of the page. */
const ADDRESS = '/api/logo'
const there = ref(true)
</script>

<template>
  <img v-if="there" class="office-mark" :src="ADDRESS" alt="" @error="there = false" />
</template>

<style scoped>
.office-mark {
  display: block;
  max-width: 220px;
  max-height: 56px;
  margin: 0 0 12px;
}
</style>
