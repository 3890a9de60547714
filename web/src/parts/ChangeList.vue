<script setup lang="ts">
import type { Schemas } from '../api/client'

/** Lines that changed: what is gone is struck out, what is new underlined. */
defineProps<{ changes: Schemas['ChangeInfo'][] }>()
</script>

<template>
  <ol class="changes">
    <li v-for="(change, index) in changes" :key="index">
      <span class="quiet num">{{ change.line }}</span>
      <span
        ><template v-for="(piece, at) in change.pieces" :key="at"
          ><del v-if="piece.state === 'gone'">{{ piece.text }}</del
          ><ins v-else-if="piece.state === 'new'">{{ piece.text }}</ins
          ><template v-else>{{ piece.text }}</template></template
        ></span
      >
    </li>
  </ol>
</template>

<style scoped>
.changes {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 32px minmax(0, 1fr);
  gap: 8px;
  padding: 4px 0;
  border-bottom: 1px solid var(--line-2);
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}
</style>
