<script setup lang="ts">
import { computed } from 'vue'

import { type FormDesk, type FormField, kindName, KINDS, nameFrom } from '../api/form'
import FormLine from './FormLine.vue'

/** The settings of one field. What is wrong stands below the part that is. */
const props = defineProps<{ it: FormDesk; field: FormField }>()
const emit = defineEmits<{ drop: [] }>()

// The draft's own field: what is written here saves itself.
const own = computed(() => props.it.draft.value?.fields.find((f) => f.id === props.field.id) ?? props.field)
const is = (...kinds: FormField['kind'][]) => kinds.includes(own.value.kind)
const words = computed(() => is('heading', 'explanation'))
const wrong = (part: string) => props.it.problem(props.field.id, part)
// The name follows the label until it is given one of its own, or answers have it as a column.
const label = computed({
  get: () => own.value.label,
  set: (text) => {
    const others = (props.it.draft.value?.fields ?? [])
      .filter((f) => f.id !== own.value.id)
      .map((f) => f.name)
    if (!words.value && own.value.name === nameFrom(own.value.label, others))
      own.value.name = nameFrom(text, others)
    own.value.label = text
  },
})
const options = computed({
  get: () => own.value.options.join('\n'),
  set: (text) => (own.value.options = text.split('\n')),
})
const LIMITS: Partial<Record<FormField['kind'], [string, string, string]>> = {
  text: ['Minimum characters', 'Maximum characters', ''],
  'long-text': ['Minimum characters', 'Maximum characters', ''],
  number: ['Minimum', 'Maximum', 'Number, or formula using the fields above'],
  money: ['Minimum', 'Maximum', 'Amount, or formula using the fields above'],
  date: ['Earliest', 'Latest', 'Date or formula: 2026-12-31, today + 3'],
  time: ['Earliest', 'Latest', 'e.g. 08:30'],
  rows: ['Minimum rows', 'Maximum rows', 'up to 100'],
  choices: ['Minimum options', 'Maximum options', ''],
  file: ['', 'Maximum files', 'up to 20'],
  picture: ['', 'Maximum files', 'up to 20'],
}
const limits = computed(() => LIMITS[own.value.kind])
/** The rows above it, which it can be in. */
const rows = computed(() => {
  const all = props.it.draft.value?.fields ?? []
  return all
    .slice(
      0,
      all.findIndex((f) => f.id === own.value.id),
    )
    .filter((f) => f.kind === 'rows')
})
</script>

<template>
  <div class="line-top">
    <h2>{{ kindName(own.kind) }}</h2>
    <span class="push" />
    <el-select v-model="own.kind" aria-label="Field type" style="width: 150px">
      <el-option v-for="[kind, name] in KINDS" :key="kind" :value="kind" :label="name" />
    </el-select>
    <el-button @click="emit('drop')">Delete field</el-button>
  </div>
  <FormLine
    :label="words ? 'Text' : own.kind === 'accept' ? 'Consent text' : 'Label'"
    :wrong="wrong('label')"
  >
    <el-input
      v-model="label"
      :type="is('explanation', 'accept') ? 'textarea' : 'text'"
      :autosize="{ minRows: 2, maxRows: 8 }"
      :aria-label="words ? 'Text' : own.kind === 'accept' ? 'Consent text' : 'Label'"
    />
  </FormLine>
  <FormLine
    v-if="!words"
    label="Name"
    about="Used in placeholders and as the column name"
    :wrong="wrong('name')"
  >
    <el-input v-model="own.name" aria-label="Name" class="mono" />
  </FormLine>
  <FormLine v-if="!words && !is('hidden')" label="Help text" about="Shown below the field">
    <el-input v-model="own.help" aria-label="Help text" />
  </FormLine>
  <label v-if="!words && !is('hidden', 'accept', 'computed')" class="tick">
    <el-checkbox v-model="own.required">Required</el-checkbox>
  </label>
  <FormLine v-if="is('choice', 'choices')" label="Options" about="One per line" :wrong="wrong('options')">
    <el-input
      v-model="options"
      type="textarea"
      :autosize="{ minRows: 3, maxRows: 12 }"
      aria-label="Options"
    />
  </FormLine>
  <FormLine
    v-if="is('computed')"
    label="Formula"
    about="Uses the fields above: quantity * price, or sum(lines.(amount)) over rows"
    :wrong="wrong('formula')"
  >
    <el-input v-model="own.formula" aria-label="Formula" class="mono" />
  </FormLine>
  <FormLine
    v-if="own.group || (rows.length && !is('rows', 'accept', 'file', 'picture', 'signature'))"
    label="In rows"
    about="Asked once in each row"
    :wrong="wrong('group')"
  >
    <el-select v-model="own.group" aria-label="In rows">
      <el-option :value="0" label="No" />
      <el-option v-for="one in rows" :key="one.id" :value="one.id" :label="one.label || one.name" />
    </el-select>
  </FormLine>
  <FormLine
    v-if="is('money', 'computed')"
    label="Currency"
    :about="is('computed') ? 'Blank for a plain number' : ''"
    :wrong="wrong('currency')"
  >
    <el-input v-model="own.currency" aria-label="Currency" style="width: 90px" />
  </FormLine>
  <div v-if="limits" class="two">
    <FormLine v-if="limits[0]" :label="limits[0]" :about="limits[2]" :wrong="wrong('least')">
      <el-input v-model="own.least" :aria-label="limits[0]" class="mono" />
    </FormLine>
    <FormLine :label="limits[1]" :about="limits[2]" :wrong="wrong('most')">
      <el-input v-model="own.most" :aria-label="limits[1]" class="mono" />
    </FormLine>
    <FormLine v-if="is('file', 'picture')" label="Maximum size (MB)" about="Up to 32; default 10">
      <el-input
        :model-value="own.megabytes ?? ''"
        aria-label="Maximum size (MB)"
        inputmode="numeric"
        @update:model-value="(text: string) => (own.megabytes = Number(text) || null)"
      />
    </FormLine>
  </div>
  <template v-if="is('text')">
    <div class="two">
      <FormLine label="Input mask" about="# digit, @ letter, ? digit or letter" :wrong="wrong('mask')">
        <el-input v-model="own.mask" aria-label="Input mask" class="mono" placeholder="##.## m" />
      </FormLine>
      <FormLine label="Pattern" about="Regular expression" :wrong="wrong('pattern')">
        <el-input v-model="own.pattern" aria-label="Pattern" class="mono" placeholder="[A-F][0-9]{2}" />
      </FormLine>
    </div>
    <FormLine v-if="own.mask || own.pattern" label="Error message" :wrong="wrong('message')">
      <el-input v-model="own.message" aria-label="Error message" placeholder="Use the format 12.40 m" />
    </FormLine>
  </template>
  <FormLine
    v-if="!words && !is('accept', 'file', 'picture', 'signature', 'rows', 'computed')"
    label="Default value"
    about="Text, or placeholders using the fields above: [: today + 7]"
    :wrong="wrong('default')"
  >
    <el-input v-model="own.default" aria-label="Default value" class="mono" />
  </FormLine>
  <FormLine
    label="Show if"
    about="Condition using the fields above. Leave blank to always show."
    :wrong="wrong('shown_when')"
  >
    <el-input v-model="own.shown_when" aria-label="Show if" class="mono" placeholder='place = "Yard"' />
  </FormLine>
</template>

<style scoped>
.line-top {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 12px;
}
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(140px, 1fr));
  gap: 12px;
  max-width: 560px;
}
.tick {
  display: block;
  margin-bottom: 10px;
}
.mono :deep(input) {
  font-family: var(--mono);
  font-size: 12px;
}
</style>
