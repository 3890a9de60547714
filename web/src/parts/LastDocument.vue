<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { shortDay, stateWord } from '../api/words'
import StateWord from './StateWord.vue'

/** The last document of a row, and how many dispatches have made others. */
const props = defineProps<{ last: Schemas['OfRow'][] }>()
const newest = computed(() => props.last[0])
const all = computed(() =>
  props.last.map((l) => `${l.dispatch}: ${stateWord(l.state)}, ${shortDay(l.changed)} ${l.error}`).join('\n'),
)
</script>

<template>
  <a
    v-if="newest"
    :href="newest.document ? `/api/documents/${newest.document}` : undefined"
    target="_blank"
    tabindex="-1"
    :title="all"
  >
    <StateWord :state="newest.state" :more="shortDay(newest.changed)" />
    <span v-if="last.length > 1" class="quiet"> +{{ last.length - 1 }}</span>
  </a>
</template>
