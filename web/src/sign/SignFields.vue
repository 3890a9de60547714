<script setup lang="ts">
import type { components } from '../api/schema'
import type { Words } from './words'

type Field = components['schemas']['SignerNow']['fields'][number]

/** The fields that are filled in one by one. */
defineProps<{ fields: Field[]; words: Words; nameOf: (field: Field) => string }>()
const values = defineModel<Record<number, string>>({ required: true })
const emit = defineEmits<{ at: [number: number]; changed: [] }>()

function set(field: Field, text: string) {
  values.value[field.number] = text
  emit('changed')
}
const text = (event: Event) => (event.target as HTMLInputElement | HTMLSelectElement).value
</script>

<template>
  <template v-for="field in fields" :key="field.number">
    <label v-if="field.kind === 'tick'" class="check">
      <input
        :id="`field-${field.number}`"
        type="checkbox"
        :checked="values[field.number] === 'yes'"
        @focus="emit('at', field.number)"
        @change="set(field, ($event.target as HTMLInputElement).checked ? 'yes' : '')"
      />
      <span
        >{{ nameOf(field) }}
        <small>{{ words.page(field.page + 1) }}{{ field.optional ? `, ${words.optional}` : '' }}</small></span
      >
    </label>
    <label v-else>
      {{ nameOf(field) }}
      <small>{{ words.page(field.page + 1) }}{{ field.optional ? `, ${words.optional}` : '' }}</small>
      <select
        v-if="field.kind === 'choice'"
        :id="`field-${field.number}`"
        :value="values[field.number]"
        @focus="emit('at', field.number)"
        @change="set(field, text($event))"
      >
        <option value="">{{ words.choose }}</option>
        <option v-for="one in field.options" :key="one" :value="one">{{ one }}</option>
      </select>
      <input
        v-else
        :id="`field-${field.number}`"
        :value="values[field.number]"
        maxlength="500"
        @focus="emit('at', field.number)"
        @input="set(field, text($event))"
      />
    </label>
  </template>
</template>
