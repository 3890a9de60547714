<script setup lang="ts">
import type { VNode } from 'vue'

import { api, ask } from '../api/client'

/** A line for an expression over a sheet's columns; what could stand where it ends is offered. */
const props = defineProps<{
  sheet: number | undefined
  label: string
  placeholder?: string
  above?: boolean
}>()
const emit = defineEmits<{ input: []; pick: []; done: [] }>()
const text = defineModel<string>({ required: true })

interface Offered {
  value: string
  about: string
}

/** The field names an offer as chosen before there are any. */
const unmarked = (field: VNode) =>
  window.setTimeout(() => {
    const around = (field.el as Node | null)?.parentElement
    around?.querySelector('[aria-activedescendant$="item--1"]')?.removeAttribute('aria-activedescendant')
  })

// A click on an offer leaves the field first, and Enter may choose one: what is written until
// then is not what is meant.
let leaving = 0
function changed() {
  window.clearTimeout(leaving)
  leaving = window.setTimeout(() => emit('done'), 200)
}
function pick() {
  window.clearTimeout(leaving)
  emit('pick')
}

async function offers(typed: string, give: (found: Offered[]) => void) {
  const bytes = new TextEncoder().encode(typed)
  const body = { text: typed, at: bytes.length, sheet_id: props.sheet ?? null }
  const found = await ask(api.POST('/api/language/complete', { body })).catch(() => undefined)
  const before = new TextDecoder().decode(bytes.slice(0, found?.start ?? 0))
  const after = new TextDecoder().decode(bytes.slice(found?.end ?? bytes.length))
  give(
    (found?.offers ?? []).slice(0, 12).map((o) => ({ value: `${before}${o.text}${after}`, about: o.about })),
  )
}
</script>

<template>
  <el-autocomplete
    v-model="text"
    class="code"
    clearable
    :fetch-suggestions="offers"
    :trigger-on-focus="false"
    :placement="above ? 'top-start' : 'bottom-start'"
    :aria-label="label"
    :placeholder="placeholder"
    @input="emit('input')"
    @select="pick"
    @change="changed"
    @keydown.enter="changed"
    @clear="emit('done')"
    @vue:mounted="unmarked"
  >
    <template #default="{ item }">
      <span class="code">{{ item.value }}</span> <small class="quiet">{{ item.about }}</small>
    </template>
  </el-autocomplete>
</template>
