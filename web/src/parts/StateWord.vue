<script setup lang="ts">
import { computed } from 'vue'

/** A state as a word in its colour. */
const props = defineProps<{ state: string; more?: string }>()
const tone = computed(() => {
  if (props.state === 'delivered' || props.state === 'done') return 'right'
  if (props.state === 'failed' || props.state === 'held') return 'wrong'
  return 'att'
})
</script>

<template>
  <span class="say" :class="tone">{{ state }}{{ more ? ` ${more}` : '' }}</span>
</template>
