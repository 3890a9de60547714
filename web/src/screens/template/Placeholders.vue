<script setup lang="ts">
import { computed, nextTick, watch } from 'vue'

import type { Schemas } from '../../api/client'

/** Every placeholder with its place and its line. */
const props = defineProps<{ template: Schemas['TemplateDetail']; chosen: number[] }>()
defineEmits<{ choose: [number[]] }>()
/** Text boxes hold each of theirs a second time, for older programs. */
const shown = computed(() =>
  props.template.placeholders
    .map((placeholder, index) => ({ placeholder, index }))
    .filter((one) => !one.placeholder.again),
)
watch(
  () => props.chosen,
  async (chosen) => {
    await nextTick()
    document.getElementById(`placeholder-${chosen[0]}`)?.scrollIntoView({ block: 'nearest' })
  },
)
</script>

<template>
  <h2>
    Placeholders <span class="quiet">{{ shown.length }}</span>
  </h2>
  <p v-if="!shown.length">
    None. For example, write <span class="code">[: last name]</span> where a value should appear.
  </p>
  <table v-else class="list">
    <thead>
      <tr>
        <th style="width: 44%">Placeholder</th>
        <th style="width: 76px">Place</th>
        <th>Line of text</th>
      </tr>
    </thead>
    <tbody>
      <tr
        v-for="{ placeholder, index } in shown"
        :id="`placeholder-${index}`"
        :key="index"
        class="opens"
        :class="{ chosen: chosen.includes(index) }"
        tabindex="0"
        @click="$emit('choose', [index])"
        @keydown.enter="$emit('choose', [index])"
      >
        <td class="code name" :title="placeholder.text">{{ placeholder.text }}</td>
        <td class="quiet">{{ placeholder.place }}</td>
        <td class="quiet" :title="placeholder.line">{{ placeholder.line }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
tr.chosen td {
  background: var(--accent-tint);
}
</style>
