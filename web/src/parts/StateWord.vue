<script setup lang="ts">
import { computed } from 'vue'

import { stateWord } from '../api/words'

/** A state as a word in its colour; what is done but has failures is marked as wrong. */
const props = defineProps<{ state: string; more?: string; failed?: number }>()
const WRONG = ['failed', 'uncertain', 'bounced', 'aborted', 'cancelled', 'declined', 'expired']
const tone = computed(() => {
  if (props.failed || WRONG.includes(props.state)) return 'wrong'
  if (['delivered', 'made', 'done', 'completed'].includes(props.state)) return 'right'
  return 'att'
})
</script>

<template>
  <span class="say" :class="tone"
    >{{ stateWord(state) }}{{ failed ? `, ${failed} failed` : '' }}{{ more ? ` ${more}` : '' }}</span
  >
</template>
