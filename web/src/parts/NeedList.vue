<script setup lang="ts">
import type { Schemas } from '../api/client'
import { count } from '../api/words'

/** The fields that a template needs, with what they are used as. */
defineProps<{ needs: Schemas['NeedInfo'][] }>()
defineEmits<{ choose: [name: string] }>()
</script>

<template>
  <ul class="needs">
    <li v-for="need in needs" :key="need.name">
      <button type="button" @click="$emit('choose', need.name)">
        <span class="code name">{{ need.name }}</span>
        <span class="quiet">{{ need.used === 'value' ? '' : need.used }}</span>
        <span class="quiet num">{{ need.uses ? count(need.uses, 'use') : '' }}</span>
      </button>
      <NeedList v-if="need.within.length" :needs="need.within" @choose="$emit('choose', $event)" />
    </li>
  </ul>
</template>

<style scoped>
.needs {
  list-style: none;
  margin: 0;
  padding: 0;
}
.needs .needs {
  padding-left: 10px;
  margin-left: 6px;
  border-left: 1px solid var(--line-2);
}
button {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 80px 64px;
  align-items: baseline;
  width: 100%;
  min-height: 26px;
  padding: 2px 6px;
  border: 0;
  border-bottom: 1px solid var(--line-2);
  background: none;
  text-align: left;
  cursor: pointer;
}
button:hover {
  background: var(--accent-tint);
}
</style>
