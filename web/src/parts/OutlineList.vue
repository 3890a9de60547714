<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'

import type { Schemas } from '../api/client'

/** The kinds that choose or repeat what stands within them. */
const LOGIC = ['if', 'else', 'repeat']

/** The logic of a template as a nested list. */
const props = defineProps<{ lines: Schemas['OutlineInfo'][]; chosen?: number[] }>()
defineEmits<{ choose: [placeholder: number] }>()

const list = ref<HTMLElement>()
watch(
  () => props.chosen,
  async () => {
    await nextTick()
    list.value?.querySelector(':scope > li > .chosen')?.scrollIntoView({ block: 'nearest' })
  },
)
</script>

<template>
  <ul ref="list" class="outline">
    <li v-for="line in lines" :key="line.placeholder" :class="{ value: !LOGIC.includes(line.kind) }">
      <button
        type="button"
        :class="{ chosen: chosen?.includes(line.placeholder), value: !LOGIC.includes(line.kind) }"
        @click="$emit('choose', line.placeholder)"
      >
        {{ line.words }}
      </button>
      <OutlineList
        v-if="line.within.length"
        :lines="line.within"
        :chosen="chosen"
        @choose="$emit('choose', $event)"
      />
    </li>
  </ul>
</template>

<style scoped>
.outline {
  list-style: none;
  margin: 0;
  padding: 0;
}
/* Values between two decisions stand side by side. */
li.value {
  display: inline-block;
  max-width: 100%;
}
.outline .outline {
  padding-left: 10px;
  margin-left: 6px;
  border-left: 1px solid var(--line-2);
}
button {
  display: block;
  width: 100%;
  padding: 3px 6px;
  border: 0;
  background: none;
  color: inherit;
  text-align: left;
  cursor: pointer;
  overflow: hidden;
  text-overflow: ellipsis;
}
button:not(.value) {
  font-weight: 600;
}
button.value {
  color: var(--ink-2);
}
button:hover {
  background: var(--accent-tint);
}
button.chosen {
  background: var(--accent-tint);
  box-shadow: inset 2px 0 var(--accent);
}
</style>
