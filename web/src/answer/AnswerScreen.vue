<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'

import OfficeMark from '../shared/OfficeMark.vue'
import FormFields from './FormFields.vue'
import { useAnswer } from './answer'

/** A form as those outside see it. */
const props = defineProps<{ token: string }>()
const it = useAnswer(props.token)
const { form, given, files, look, behind, wrong, tried, sending, thanks, problem, gone } = it
const homepage = ref('')
const screen = ref<HTMLElement>()

void it.load()
watch(form, (now) => {
  if (!now) return
  document.title = now.title
  document.documentElement.lang = now.locale
})

async function send() {
  await it.send(homepage.value)
  await nextTick()
  const first = screen.value?.querySelector<HTMLElement>(thanks.value ? 'h1' : '[aria-invalid="true"]')
  first?.focus()
  first?.scrollIntoView({ block: 'center' })
}
</script>

<template>
  <main ref="screen" class="answer">
    <p v-if="gone" class="told" role="alert">{{ gone }}</p>
    <p v-else-if="!form" class="told">Loading…</p>
    <template v-else-if="thanks">
      <h1 tabindex="-1">{{ form.title }}</h1>
      <p class="told" role="status">{{ thanks }}</p>
    </template>
    <template v-else>
      <OfficeMark />
      <h1>{{ form.title }}</h1>
      <p v-if="form.shut" class="told" role="status">{{ form.shut }}</p>
      <form v-else novalidate @submit.prevent="send">
        <p v-if="form.intro" class="words">{{ form.intro }}</p>
        <FormFields
          :fields="form.fields"
          :given="given"
          :files="files"
          :look="look"
          :behind="behind"
          :wrong="wrong"
          :tried="tried"
          @set="it.set"
          @leave="it.leave"
          @add="it.add"
          @remove="it.remove"
          @pending="it.pending"
        />
        <!-- Not for people: whoever fills it in is a machine. -->
        <label class="trap" aria-hidden="true"
          >Homepage <input v-model="homepage" name="homepage" tabindex="-1" autocomplete="off"
        /></label>
        <p v-if="problem" class="wrong" role="alert">{{ problem }}</p>
        <!-- Pressing it leaves no field: what would be told then would move it away from
             under the finger. -->
        <button class="send" :disabled="sending" @mousedown.prevent>
          {{ sending ? 'Sending…' : form.send || 'Send' }}
        </button>
      </form>
    </template>
  </main>
</template>
