<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'

import type { Diagnostic } from '../api/diagnostics'
import { type FieldKind, type FormField, kindName, KINDS } from '../api/form'
import { useReorder } from './reorder'

/** The fields of a form in their order: chosen, added, dragged, moved by keyboard. */
const props = defineProps<{ chosen: number | undefined; problems: Diagnostic[] }>()
const fields = defineModel<FormField[]>('fields', { required: true })
const emit = defineEmits<{ show: [field?: number]; add: [kind: FieldKind]; drop: [field: number] }>()

const list = ref<HTMLElement>()
const wrong = computed(
  () => new Set(props.problems.map(({ target }) => (target.kind === 'form' && target.field) || 0)),
)

function move(from: number, to: number) {
  if (to < 0 || to >= fields.value.length || from === to) return
  const now = [...fields.value]
  now.splice(to, 0, ...now.splice(from, 1))
  fields.value = now
}

const { item } = useReorder(move)

async function key(event: KeyboardEvent, at: number) {
  const by = { ArrowUp: -1, ArrowDown: 1 }[event.key]
  if (event.key === 'Delete' && fields.value[at]) emit('drop', fields.value[at].id)
  if (!by) return
  event.preventDefault()
  if (event.altKey) move(at, at + by)
  const next = fields.value[at + by]
  if (!next) return
  if (!event.altKey) emit('show', next.id)
  await nextTick()
  list.value?.querySelectorAll<HTMLElement>('button.one')[at + by]?.focus()
}
</script>

<template>
  <nav class="fields" aria-label="Fields">
    <button type="button" class="itself" :class="{ here: chosen === undefined }" @click="emit('show')">
      Form settings<span v-if="wrong.has(0)" class="say wrong">Problem</span>
    </button>
    <ol ref="list">
      <li v-for="(field, at) in fields" :key="field.id" v-bind="item(at)">
        <button
          type="button"
          class="one"
          :class="{ here: field.id === chosen, words: field.kind === 'heading', member: field.group }"
          :title="`${kindName(field.kind)}. Drag to reorder, or press Alt+↑ or Alt+↓`"
          @click="emit('show', field.id)"
          @keydown="key($event, at)"
        >
          <span class="label">{{ field.label || field.name || '(no label)' }}</span>
          <span v-if="wrong.has(field.id)" class="say wrong">Problem</span>
          <span v-else class="quiet">{{ field.shown_when ? 'Conditional' : '' }}</span>
        </button>
      </li>
    </ol>
    <p v-if="!fields.length" class="quiet none">No fields yet. Add the first one.</p>
    <div class="add">
      <span class="quiet">Add a field</span>
      <div class="kinds">
        <button v-for="[kind, name] in KINDS" :key="kind" type="button" @click="emit('add', kind)">
          {{ name }}
        </button>
      </div>
    </div>
  </nav>
</template>

<style scoped>
.fields {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-right: 1px solid var(--line);
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
  overflow: auto;
  flex: 1;
}
li.over {
  box-shadow: inset 0 2px var(--accent);
}
.itself,
.one {
  display: flex;
  align-items: center;
  gap: 6px;
  width: 100%;
  min-height: 28px;
  padding: 2px 12px;
  border: 0;
  border-left: 3px solid transparent;
  background: none;
  text-align: left;
  cursor: pointer;
}
.itself {
  min-height: 34px;
  border-bottom: 1px solid var(--line);
}
.member {
  padding-left: 28px;
}
.words .label {
  font-weight: 600;
}
.here {
  background: var(--accent-tint);
  border-left-color: var(--accent);
}
.label {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.none {
  padding: 0 12px;
}
.add {
  flex: none;
  padding: 8px 12px 12px;
  border-top: 1px solid var(--line);
}
.kinds {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  margin-top: 4px;
}
.kinds button {
  padding: 1px 6px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  font-size: 12px;
  cursor: pointer;
}
.kinds button:hover {
  border-color: var(--accent);
}
</style>
