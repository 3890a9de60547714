<script setup lang="ts">
import { computed } from 'vue'

import type { FormDesk, FormDraft } from '../api/form'
import FormLine from './FormLine.vue'

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
  <h2>The form itself</h2>
  <p v-if="wrong('fields')" class="problem" role="alert">{{ wrong('fields') }}</p>
  <FormLine label="Title">
    <el-input v-model="own.title" aria-label="Title" />
  </FormLine>
  <FormLine label="What stands below the title">
    <el-input v-model="own.intro" type="textarea" :autosize="{ minRows: 2, maxRows: 8 }" aria-label="Intro" />
  </FormLine>
  <div class="two">
    <FormLine label="Words on the button">
      <el-input v-model="own.send" aria-label="Words on the button" />
    </FormLine>
    <FormLine label="Language" about="numbers and dates are read by it" :wrong="wrong('locale')">
      <el-select v-model="own.locale" aria-label="Language">
        <el-option v-for="[tag, name] in LOCALES" :key="tag" :value="tag" :label="name" />
      </el-select>
    </FormLine>
  </div>
  <FormLine label="Thanks" about="may hold placeholders: Thank you, [: first name]." :wrong="wrong('thanks')">
    <el-input
      v-model="own.thanks"
      type="textarea"
      :autosize="{ minRows: 2, maxRows: 6 }"
      aria-label="Thanks"
    />
  </FormLine>
  <div class="two">
    <FormLine label="Opens" about="at once where blank">
      <input
        type="datetime-local"
        class="when"
        :value="moment(own.opens)"
        @change="own.opens = ($event.target as HTMLInputElement).value || null"
      />
    </FormLine>
    <FormLine label="Closes" about="by hand where blank" :wrong="wrong('closes')">
      <input
        type="datetime-local"
        class="when"
        :value="moment(own.closes)"
        @change="own.closes = ($event.target as HTMLInputElement).value || null"
      />
    </FormLine>
    <FormLine label="Most answers" about="all where blank">
      <el-input
        :model-value="own.most_answers ?? ''"
        inputmode="numeric"
        aria-label="Most answers"
        @update:model-value="(text: string) => (own.most_answers = Number.parseInt(text) || null)"
      />
    </FormLine>
  </div>
  <FormLine label="What is said when it is closed" about="a plain sentence with the date where blank">
    <el-input v-model="own.shut" aria-label="When closed" />
  </FormLine>
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
