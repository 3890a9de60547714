<script setup lang="ts">
import { computed } from 'vue'

import type { Answer, Given, Look, PublicField, Sending } from './answer'
import FieldInput from './FieldInput.vue'
import FileField from './FileField.vue'
import SignatureField from './SignatureField.vue'

/** The fields of a form with what stands in them. */
const props = defineProps<{
  fields: PublicField[]
  given: Answer
  files: Record<string, Sending[]>
  look: Look[]
  wrong: Map<number, string>
}>()
const emit = defineEmits<{
  set: [field: number, value: Given]
  leave: [field: number]
  add: [field: number, file: File]
  remove: [field: number, which: number]
  pending: [work: Promise<void>]
}>()

const looked = computed(() => new Map(props.look.map((l) => [l.field, l])))
const shown = computed(() => props.fields.filter((f) => looked.value.get(f.id)?.shown ?? true))
const value = (field: PublicField) =>
  props.given[field.id] ?? looked.value.get(field.id)?.by_default ?? undefined
const grouped = (field: PublicField) => ['choice', 'choices'].includes(field.kind)
const ticked = (field: PublicField) => ['yes-no', 'accept'].includes(field.kind)
</script>

<template>
  <template v-for="field in shown" :key="field.id">
    <h2 v-if="field.kind === 'heading'">{{ field.label }}</h2>
    <p v-else-if="field.kind === 'explanation'" class="words">{{ field.label }}</p>
    <component
      :is="grouped(field) ? 'fieldset' : 'div'"
      v-else
      class="ask"
      :class="{ bad: wrong.has(field.id) }"
      :data-field="field.id"
    >
      <component
        :is="grouped(field) ? 'legend' : 'label'"
        v-if="!ticked(field)"
        :for="grouped(field) ? undefined : `field-${field.id}`"
        class="label"
        >{{ field.label }}<span v-if="field.required" class="must"> required</span></component
      >
      <FileField
        v-if="field.kind === 'file' || field.kind === 'picture'"
        :field="field"
        :files="files[field.id] ?? []"
        :wrong="wrong.has(field.id)"
        @add="(file) => emit('add', field.id, file)"
        @remove="(which) => emit('remove', field.id, which)"
      />
      <SignatureField
        v-else-if="field.kind === 'signature'"
        :field="field"
        :files="files[field.id] ?? []"
        :wrong="wrong.has(field.id)"
        @add="(file) => emit('add', field.id, file)"
        @remove="(which) => emit('remove', field.id, which)"
        @pending="(work) => emit('pending', work)"
      />
      <FieldInput
        v-else
        :field="field"
        :value="value(field)"
        :wrong="wrong.has(field.id)"
        @set="(now) => emit('set', field.id, now)"
        @leave="emit('leave', field.id)"
      />
      <p v-if="field.help" :id="`help-${field.id}`" class="help">{{ field.help }}</p>
      <p v-if="wrong.has(field.id)" :id="`wrong-${field.id}`" class="wrong" role="alert">
        {{ wrong.get(field.id) }}
      </p>
    </component>
  </template>
</template>
