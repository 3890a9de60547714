<script setup lang="ts">
import { computed } from 'vue'

import { type Entity, FIELD_TYPES, type ListPick, noPicks, type Picks, type Shape } from '../api/crm'

/** An entity's fields and ways, opened like a tree; what is ticked is asked for. */
const props = defineProps<{
  shape: Shape
  entity: Entity
  /** The ways that led here from the entity that is asked, each with a slash. */
  prefix?: string
  search: string
  depth: number
}>()
const picks = defineModel<Picks>('picks', { required: true })

const prefix = computed(() => props.prefix ?? '')
const behind = (to: string) => props.shape.entities.find((e) => e.set === to)
const has = (name: string) => picks.value.fields.includes(prefix.value + name)
const list = (way: string) => picks.value.lists.find((l) => l.way === way)
const within = (way: string) =>
  picks.value.fields.filter((f) => f.startsWith(`${prefix.value}${way}/`)).length

const wanted = computed(() => props.search.trim().toLowerCase())
const named = (one: { name: string; label: string }) =>
  `${one.name} ${one.label}`.toLowerCase().includes(wanted.value)
/** Whether a search finds something in an entity, or a few ways behind it. */
function finds(entity: Entity | undefined, deep: number): boolean {
  if (!entity) return false
  if (entity.fields.some(named)) return true
  return deep > 0 && entity.ways.some((w) => named(w) || finds(behind(w.to), deep - 1))
}
const fields = computed(() => props.entity.fields.filter((f) => !wanted.value || named(f)))
const ways = computed(() =>
  props.entity.ways.filter((w) => {
    if (props.depth > 5 || (w.many && prefix.value)) return false
    return !wanted.value || named(w) || finds(behind(w.to), Math.max(0, 2 - props.depth))
  }),
)

function tick(name: string, yes: boolean) {
  const path = prefix.value + name
  const fields = yes ? [...picks.value.fields, path] : picks.value.fields.filter((f) => f !== path)
  picks.value = { ...picks.value, fields }
}

function setList(way: string, now: ListPick | undefined) {
  const others = picks.value.lists.filter((l) => l.way !== way)
  const lists = now
    ? picks.value.lists.some((l) => l.way === way)
      ? picks.value.lists.map((l) => (l.way === way ? now : l))
      : [...others, now]
    : others
  picks.value = { ...picks.value, lists }
}

const fresh = (way: string): ListPick => ({ way, picks: noPicks(), filter: '', order: '', first: null })
const pickIn = (way: string, now: Picks) => setList(way, { ...(list(way) ?? fresh(way)), picks: now })
</script>

<template>
  <ul class="tree">
    <li v-for="field in fields" :key="field.name">
      <label class="leaf" :title="field.name">
        <input
          type="checkbox"
          :checked="has(field.name)"
          :aria-label="`${prefix}${field.name}`"
          @change="tick(field.name, ($event.target as HTMLInputElement).checked)"
        />
        <span class="label">{{ field.label }}</span>
        <span class="code">{{ field.name }}</span>
        <span class="quiet">{{ FIELD_TYPES[field.type] }}</span>
      </label>
    </li>
    <li v-for="way in ways" :key="way.name">
      <details :open="(!!wanted && depth < 2) || !!list(way.name) || undefined">
        <summary>
          <b>{{ way.label }}</b>
          <span class="quiet">{{ way.many ? 'list' : 'record' }}</span>
          <span v-if="within(way.name) || list(way.name)" class="say right"
            >{{ within(way.name) || list(way.name)?.picks.fields.length }} selected</span
          >
          <button
            v-if="way.many && list(way.name)"
            type="button"
            class="plain"
            @click.prevent="setList(way.name, undefined)"
          >
            Clear selection
          </button>
        </summary>
        <template v-if="behind(way.to)">
          <ShapeTree
            v-if="way.many"
            :shape="shape"
            :entity="behind(way.to)!"
            :search="search"
            :depth="depth + 1"
            :picks="list(way.name)?.picks ?? noPicks()"
            @update:picks="pickIn(way.name, $event)"
          />
          <ShapeTree
            v-else
            v-model:picks="picks"
            :shape="shape"
            :entity="behind(way.to)!"
            :prefix="`${prefix}${way.name}/`"
            :search="search"
            :depth="depth + 1"
          />
        </template>
      </details>
    </li>
  </ul>
</template>

<style scoped>
.tree {
  list-style: none;
  margin: 0;
  padding: 0 0 0 12px;
}
.leaf {
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 24px;
  cursor: pointer;
}
.leaf input {
  accent-color: var(--accent);
  margin: 0;
}
.label {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.leaf .code {
  flex: 1;
  color: var(--ink-2);
  font-size: 11px;
  overflow: hidden;
  text-overflow: ellipsis;
}
summary {
  min-height: 26px;
  padding: 3px 0;
  cursor: pointer;
}
summary > * {
  margin-right: 6px;
}
summary b {
  font-weight: 600;
}
.plain {
  border: 0;
  padding: 0;
  background: none;
  color: var(--accent);
  cursor: pointer;
}
</style>
