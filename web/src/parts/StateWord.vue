<script setup lang="ts">
import { computed } from 'vue'

/** A state as a word in its colour; what is done but has failures is marked as wrong. */
const props = defineProps<{ state: string; more?: string; failed?: number }>()
const WORDS: Record<string, string> = {
  going: 'Running',
  filed: 'To send',
  made: 'Stored',
  held: 'On hold',
}
const word = computed(() => {
  const { state } = props
  return WORDS[state] ?? `${state.charAt(0).toUpperCase()}${state.slice(1)}`
})
const tone = computed(() => {
  if (props.failed || props.state === 'failed' || props.state === 'held') return 'wrong'
  if (['delivered', 'made', 'done'].includes(props.state)) return 'right'
  return 'att'
})
</script>

<template>
  <span class="say" :class="tone"
    >{{ word }}{{ failed ? `, ${failed} failed` : '' }}{{ more ? ` ${more}` : '' }}</span
  >
</template>
