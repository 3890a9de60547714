<script setup lang="ts">
import { computed } from 'vue'

import type { Given, PublicField } from './answer'
import { fitsSoFar, shaped } from './mask'

/** What a field is answered with, where that is no file. */
const props = withDefaults(
  defineProps<{ field: PublicField; value: Given | undefined; wrong: boolean; prefix?: string }>(),
  { prefix: '' },
)
/** What tells it from the same field of another row. */
const own = computed(() => `${props.prefix}${props.field.id}`)
const emit = defineEmits<{ set: [value: Given]; leave: [] }>()

const TYPES: Record<string, { type: string; mode?: 'decimal'; fill?: string }> = {
  number: { type: 'text', mode: 'decimal' },
  money: { type: 'text', mode: 'decimal' },
  date: { type: 'date' },
  time: { type: 'time' },
  email: { type: 'email', fill: 'email' },
  telephone: { type: 'tel', fill: 'tel' },
}
const how = computed(() => TYPES[props.field.kind] ?? { type: 'text' })
const text = computed(() => (typeof props.value === 'string' ? props.value : ''))
const chosen = computed(() =>
  Array.isArray(props.value) ? props.value.filter((one) => typeof one === 'string') : [],
)
const about = computed(() => ({
  'aria-invalid': props.wrong,
  'aria-describedby': `${props.wrong ? `wrong-${own.value} ` : ''}help-${own.value}`,
}))

function type(event: Event) {
  const input = event.target as HTMLInputElement
  const { mask } = props.field
  // Only what is typed at the end is shaped: the cursor stays where it is.
  const grew = input.value.length > text.value.length && input.selectionStart === input.value.length
  if (mask && grew) input.value = shaped(mask, input.value)
  emit('set', input.value)
  // What the mask has no place for is told while it is written.
  if (mask && !fitsSoFar(mask, input.value)) emit('leave')
}

function tick(option: string, yes: boolean) {
  emit('set', yes ? [...chosen.value, option] : chosen.value.filter((o) => o !== option))
}
</script>

<template>
  <textarea
    v-if="field.kind === 'long-text'"
    :id="`field-${own}`"
    rows="4"
    :value="text"
    v-bind="about"
    @input="type"
    @blur="emit('leave')"
  />
  <div v-else-if="field.kind === 'choice'" class="options" role="radiogroup" v-bind="about">
    <label v-for="option in field.options" :key="option" class="option">
      <input
        type="radio"
        :name="`field-${own}`"
        :value="option"
        :checked="text === option"
        @change="(emit('set', option), emit('leave'))"
      /><span>{{ option }}</span>
    </label>
  </div>
  <div v-else-if="field.kind === 'choices'" class="options" v-bind="about">
    <label v-for="option in field.options" :key="option" class="option">
      <input
        type="checkbox"
        :checked="chosen.includes(option)"
        @change="(tick(option, ($event.target as HTMLInputElement).checked), emit('leave'))"
      /><span>{{ option }}</span>
    </label>
  </div>
  <label v-else-if="field.kind === 'yes-no' || field.kind === 'accept'" class="option">
    <input
      :id="`field-${own}`"
      type="checkbox"
      :checked="value === true"
      v-bind="about"
      @change="(emit('set', ($event.target as HTMLInputElement).checked), emit('leave'))"
    /><span>{{ field.label }}<span v-if="field.required" class="must"> required</span></span>
  </label>
  <div v-else class="line">
    <input
      :id="`field-${own}`"
      :type="how.type"
      :inputmode="how.mode"
      :autocomplete="how.fill"
      :value="text"
      v-bind="about"
      @input="type"
      @blur="emit('leave')"
    />
    <span v-if="field.kind === 'money'" class="unit">{{ field.currency }}</span>
  </div>
</template>
