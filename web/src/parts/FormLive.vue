<script setup lang="ts">
import '../answer/answer.css'

import { useDebounceFn } from '@vueuse/core'
import { computed, reactive, ref, watch } from 'vue'

import FormFields from '../answer/FormFields.vue'
import type { Answer, Given, Look, PublicField, Sending } from '../answer/answer'
import { api, ask } from '../api/client'
import type { FormDraft } from '../api/form'

/** The form as it will be, live: conditions, defaults and limits work, nothing is sent. */
const props = defineProps<{ id: number; draft: FormDraft; saved: boolean; chosen: number | undefined }>()
const given = reactive<Answer>({})
const files = reactive<Record<string, Sending[]>>({})
const look = ref<Look[]>([])
const left = reactive(new Set<number>())

const fields = computed<PublicField[]>(() =>
  props.draft.fields
    .filter((f) => f.kind !== 'hidden')
    .map((f) => ({
      id: f.id,
      kind: f.kind,
      label: f.label.trim() || f.name,
      help: f.help,
      required: f.required || f.kind === 'accept',
      options: f.options,
      mask: f.kind === 'text' ? f.mask : '',
      currency: f.currency,
      files: f.kind === 'signature' ? 1 : Math.min(20, Math.max(1, Number.parseInt(f.most) || 1)),
      megabytes: f.megabytes ?? 10,
      group: f.group,
      most_rows: Math.min(100, Math.max(1, Number.parseInt(f.most) || 100)),
    })),
)
const wrong = computed(
  () =>
    new Map(
      look.value.filter((l) => l.wrong && l.shown && left.has(l.field)).map((l) => [l.field, l.wrong ?? '']),
    ),
)

async function lookAgain() {
  const params = { path: { id: props.id } }
  const told = await ask(api.POST('/api/forms/{id}/look', { params, body: given })).catch(() => undefined)
  if (told) look.value = told
}
const lookSoon = useDebounceFn(lookAgain, 200)
// What is written counts once it is saved: the rules are the server's.
watch(
  () => [props.saved, props.draft.fields.length] as const,
  () => void lookSoon(),
  { immediate: true },
)

const screen = ref<HTMLElement>()
// The field that is written is in sight.
watch(
  () => props.chosen,
  (field) => screen.value?.querySelector(`[data-field="${field}"]`)?.scrollIntoView({ block: 'center' }),
  { flush: 'post' },
)

function set(field: number, value: Given) {
  given[field] = value
  void lookSoon()
}
/** Files stay here: the form is only tried. */
function add(field: number, file: File) {
  files[field] = [...(files[field] ?? []), { name: file.name, size: file.size, done: 1, key: file.name }]
}
function remove(field: number, which: number) {
  files[field] = (files[field] ?? []).filter((_, index) => index !== which)
}
function clear() {
  for (const all of [given, files]) for (const key of Object.keys(all)) delete all[key]
  left.clear()
  void lookSoon()
}
</script>

<template>
  <section class="live" aria-label="Form preview">
    <div ref="screen" class="telephone">
      <div class="answer">
        <h1>{{ draft.title }}</h1>
        <p v-if="draft.intro" class="words">{{ draft.intro }}</p>
        <FormFields
          :fields="fields"
          :given="given"
          :files="files"
          :look="look"
          :wrong="wrong"
          @set="set"
          @leave="left.add($event)"
          @add="add"
          @remove="remove"
        />
        <button type="button" class="send" disabled>{{ draft.send || 'Send' }}</button>
      </div>
    </div>
    <p class="quiet foot">
      Phone preview. Nothing is sent.
      <button type="button" class="plain" @click="clear">Reset</button>
    </p>
  </section>
</template>

<style scoped>
.live {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--desk);
}
.telephone {
  flex: 1;
  min-height: 0;
  width: 390px;
  margin: 12px auto 0;
  overflow: auto;
  background: var(--paper);
  border: 1px solid var(--line);
}
.foot {
  flex: none;
  margin: 6px 0;
  text-align: center;
  max-width: none;
}
.plain {
  border: 0;
  padding: 0;
  background: none;
  color: var(--accent);
  cursor: pointer;
}
</style>
