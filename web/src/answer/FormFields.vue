<script setup lang="ts">
import { computed, nextTick, reactive, watch } from 'vue'

import type { Answer, Given, Look, PublicField, Sending } from './answer'
import FieldInput from './FieldInput.vue'
import FileField from './FileField.vue'
import SignatureField from './SignatureField.vue'

/** The fields of a form with what stands in them. */
const props = withDefaults(
  defineProps<{
    fields: PublicField[]
    given: Answer
    files: Record<string, Sending[]>
    look: Look[]
    /** Whether what was last looked at is not what is written now. */
    behind?: boolean
    wrong: Map<number, string>
    /** Whether everything that is wrong is told. */
    tried?: boolean
    /** In a row: what tells its fields from those of others. */
    prefix?: string
  }>(),
  { prefix: '' },
)
const emit = defineEmits<{
  set: [field: number, value: Given]
  leave: [field: number]
  add: [field: number, file: File]
  remove: [field: number, which: number]
  pending: [work: Promise<void>]
}>()

const looked = computed(() => new Map(props.look.map((l) => [l.field, l])))
/** Fields of rows stand in their rows. */
const shown = computed(() =>
  props.fields.filter((f) => (props.prefix || !f.group) && (looked.value.get(f.id)?.shown ?? true)),
)
/** The fields of this row that were left. */
const left = reactive(new Set<number>())
const wrongs = computed(() => {
  if (!props.prefix) return props.wrong
  const told = props.look.filter((l) => l.wrong && l.shown && (props.tried || left.has(l.field)))
  return new Map(told.map((l) => [l.field, l.wrong ?? '']))
})
/** Those left before what is written was looked at: what was wrong then may be right by now, and a
 * line that comes and goes moves the button that a finger is on. */
const leaving = new Set<number>()
function leave(field: number) {
  if (props.behind) leaving.add(field)
  else left.add(field)
  emit('leave', field)
}
watch(
  () => props.behind,
  (behind) => {
    if (behind) return
    leaving.forEach((field) => left.add(field))
    leaving.clear()
  },
)

const members = (rows: PublicField) => props.fields.filter((f) => f.group === rows.id)
/** The rows as they stand; where one is asked for, the first is there to be filled in. */
function rowsOf(field: PublicField): Answer[] {
  const given = props.given[field.id]
  const rows = Array.isArray(given) ? given.filter((row) => typeof row === 'object') : []
  return rows.length || !field.required ? (rows as Answer[]) : [{}]
}
const setRows = (field: PublicField, rows: Answer[]) => emit('set', field.id, rows as Given)
function setIn(field: PublicField, at: number, member: number, value: Given) {
  setRows(
    field,
    rowsOf(field).map((row, index) => (index === at ? { ...row, [member]: value } : row)),
  )
}
async function addRow(field: PublicField) {
  const rows = [...rowsOf(field), {}]
  setRows(field, rows)
  await nextTick()
  document
    .querySelector<HTMLElement>(`[data-row="${field.id}-${rows.length - 1}"] :is(input, textarea)`)
    ?.focus()
}
const dropRow = (field: PublicField, at: number) =>
  setRows(
    field,
    rowsOf(field).filter((_, index) => index !== at),
  )
const value = (field: PublicField) =>
  props.given[field.id] ?? looked.value.get(field.id)?.by_default ?? undefined
const grouped = (field: PublicField) => ['choice', 'choices', 'rows'].includes(field.kind)
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
      :class="{ bad: wrongs.has(field.id) }"
      :data-field="field.id"
    >
      <component
        :is="grouped(field) ? 'legend' : 'label'"
        v-if="!ticked(field)"
        :for="grouped(field) ? undefined : `field-${prefix}${field.id}`"
        class="label"
        >{{ field.label }}<span v-if="field.required" class="must"> required</span></component
      >
      <FileField
        v-if="field.kind === 'file' || field.kind === 'picture'"
        :field="field"
        :files="files[field.id] ?? []"
        :wrong="wrongs.has(field.id)"
        @add="(file) => emit('add', field.id, file)"
        @remove="(which) => emit('remove', field.id, which)"
      />
      <SignatureField
        v-else-if="field.kind === 'signature'"
        :field="field"
        :files="files[field.id] ?? []"
        :wrong="wrongs.has(field.id)"
        @add="(file) => emit('add', field.id, file)"
        @remove="(which) => emit('remove', field.id, which)"
        @pending="(work) => emit('pending', work)"
      />
      <div v-else-if="field.kind === 'rows'" class="rows" :aria-invalid="wrongs.has(field.id)">
        <fieldset v-for="(row, at) in rowsOf(field)" :key="at" class="row" :data-row="`${field.id}-${at}`">
          <legend>{{ at + 1 }}</legend>
          <FormFields
            :fields="members(field)"
            :given="row"
            :files="{}"
            :look="looked.get(field.id)?.rows?.[at] ?? []"
            :behind="behind"
            :wrong="wrong"
            :tried="tried"
            :prefix="`${field.id}-${at}-`"
            @set="(member, now) => setIn(field, at, member, now)"
            @leave="emit('leave', field.id)"
          />
          <button
            type="button"
            class="less"
            :aria-label="`Remove ${field.label} ${at + 1}`"
            @click="dropRow(field, at)"
          >
            Remove
          </button>
        </fieldset>
        <button
          type="button"
          class="more"
          :disabled="rowsOf(field).length >= field.most_rows"
          @click="addRow(field)"
        >
          Add {{ rowsOf(field).length ? 'another' : '' }}
        </button>
      </div>
      <output v-else-if="field.kind === 'computed'" :id="`field-${prefix}${field.id}`" class="computed">{{
        looked.get(field.id)?.computed || '–'
      }}</output>
      <FieldInput
        v-else
        :field="field"
        :prefix="prefix"
        :value="value(field)"
        :wrong="wrongs.has(field.id)"
        @set="(now) => emit('set', field.id, now)"
        @leave="leave(field.id)"
      />
      <p v-if="field.help" :id="`help-${prefix}${field.id}`" class="help">{{ field.help }}</p>
      <p v-if="wrongs.has(field.id)" :id="`wrong-${prefix}${field.id}`" class="wrong" role="alert">
        {{ wrongs.get(field.id) }}
      </p>
    </component>
  </template>
</template>
