<script setup lang="ts">
import type { Schemas } from '../api/client'
import { count } from '../api/words'

type Field = Schemas['FieldInfo']
/** Fields with type, sample and placeholder, nested along relations and lists. */
defineProps<{ fields: Field[]; uses: (name: string) => number; composing?: string }>()
const emit = defineEmits<{ copy: [Field]; compose: [Field]; find: [name: string] }>()

function drag(event: DragEvent, field: Field) {
  event.dataTransfer?.setData('text/plain', field.placeholder)
  if (event.dataTransfer) event.dataTransfer.effectAllowed = 'copy'
}
</script>

<template>
  <ul class="fields">
    <li v-for="field in fields" :key="field.path">
      <div
        class="one"
        :class="{ here: field.path === composing }"
        draggable="true"
        @dragstart="drag($event, field)"
      >
        <button
          type="button"
          class="code name"
          :title="`Copy ${field.placeholder}`"
          @click="emit('copy', field)"
        >
          {{ field.placeholder }}
        </button>
        <span class="quiet">{{ field.type }}</span>
        <span class="sample" :title="field.sample">{{ field.sample }}</span>
        <button
          v-if="uses(field.name)"
          type="button"
          class="quiet"
          :title="`Used ${count(uses(field.name), 'time')}; show where`"
          @click="emit('find', field.name)"
        >
          {{ uses(field.name) }}×
        </button>
        <span v-else />
        <button v-if="!field.within.length" type="button" class="compose" @click="emit('compose', field)">
          Build…
        </button>
      </div>
      <FieldTree
        v-if="field.within.length"
        :fields="field.within"
        :uses="uses"
        :composing="composing"
        @copy="emit('copy', $event)"
        @compose="emit('compose', $event)"
        @find="emit('find', $event)"
      />
    </li>
  </ul>
</template>

<style scoped>
.fields {
  list-style: none;
  margin: 0;
  padding: 0;
}
.fields .fields {
  padding-left: 10px;
  margin-left: 6px;
  border-left: 1px solid var(--line-2);
}
.one {
  display: grid;
  grid-template-columns: minmax(0, 1.3fr) 58px minmax(0, 1fr) 30px 62px;
  gap: 8px;
  align-items: center;
  min-height: 28px;
  border-bottom: 1px solid var(--line-2);
  cursor: grab;
  padding: 0 4px;
}
.one:hover,
.one.here {
  background: var(--accent-tint);
}
.sample,
.code.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
button {
  border: 0;
  background: none;
  padding: 0;
  text-align: left;
  cursor: pointer;
}
button:hover {
  text-decoration: underline;
}
.compose {
  color: var(--accent);
  font-size: 12px;
}
</style>
