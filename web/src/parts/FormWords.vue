<script setup lang="ts">
import { computed } from 'vue'

import type { FormDesk, FormDraft } from '../api/form'
import FormLine from './FormLine.vue'
import FrameSites from './FrameSites.vue'

/** What is said of the form itself: its words, its language, when it is open. */
const props = defineProps<{ it: FormDesk; draft: FormDraft }>()
const own = computed(() => props.it.draft.value ?? props.draft)
const wrong = (part: string) => props.it.problem(null, part)
const LOCALES = [
  ['en-GB', 'English (UK)'],
  ['en-US', 'English (US)'],
  ['de-DE', 'German'],
  ['fr-FR', 'French'],
  ['nl-NL', 'Dutch'],
] as const
/** A date field of the browser gives minutes; the server keeps seconds. */
const moment = (text: string | null | undefined) => text?.slice(0, 16) ?? ''
</script>

<template>
  <h2>Form settings</h2>
  <p v-if="wrong('fields')" class="problem" role="alert">{{ wrong('fields') }}</p>
  <FormLine label="Title">
    <el-input v-model="own.title" aria-label="Title" />
  </FormLine>
  <FormLine label="Introduction">
    <el-input
      v-model="own.intro"
      type="textarea"
      :autosize="{ minRows: 2, maxRows: 8 }"
      aria-label="Introduction"
    />
  </FormLine>
  <div class="two">
    <FormLine label="Button text">
      <el-input v-model="own.send" aria-label="Button text" />
    </FormLine>
    <FormLine label="Language" about="Also sets how numbers and dates are read" :wrong="wrong('locale')">
      <el-select v-model="own.locale" aria-label="Language">
        <el-option v-for="[tag, name] in LOCALES" :key="tag" :value="tag" :label="name" />
      </el-select>
    </FormLine>
  </div>
  <FormLine
    label="Confirmation message"
    about="Placeholders allowed: Thank you, [: first name]."
    :wrong="wrong('thanks')"
  >
    <el-input
      v-model="own.thanks"
      type="textarea"
      :autosize="{ minRows: 2, maxRows: 6 }"
      aria-label="Confirmation message"
    />
  </FormLine>
  <div class="two">
    <FormLine label="Opens on" about="Leave blank to open at once">
      <input
        type="datetime-local"
        class="when"
        :value="moment(own.opens)"
        @change="own.opens = ($event.target as HTMLInputElement).value || null"
      />
    </FormLine>
    <FormLine label="Closes on" about="Leave blank to close by hand" :wrong="wrong('closes')">
      <input
        type="datetime-local"
        class="when"
        :value="moment(own.closes)"
        @change="own.closes = ($event.target as HTMLInputElement).value || null"
      />
    </FormLine>
    <FormLine label="Maximum answers" about="Leave blank for no limit">
      <el-input
        :model-value="own.most_answers ?? ''"
        inputmode="numeric"
        aria-label="Maximum answers"
        @update:model-value="(text: string) => (own.most_answers = Number.parseInt(text) || null)"
      />
    </FormLine>
  </div>
  <FormLine label="Message when closed" about="Leave blank for the standard message">
    <el-input v-model="own.shut" aria-label="Message when closed" />
  </FormLine>
  <FrameSites
    v-if="it.info.value"
    :id="it.info.value.id"
    kind="form"
    about='A page of these sites can show the form in a frame: &lt;iframe src="FORM LINK"&gt;'
  />
</template>

<style scoped>
h2 {
  margin-bottom: 12px;
}
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(200px, 1fr));
  gap: 12px;
  max-width: 560px;
}
.when {
  width: 100%;
  min-width: 0;
  height: var(--control);
  padding: 0 8px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
}
</style>
