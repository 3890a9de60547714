<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../api/client'
import { placeOf, said } from '../api/diagnostics'
import MarkedPages from './MarkedPages.vue'
import SampleSwitch from './SampleSwitch.vue'
import ZoomBar from './ZoomBar.vue'

/** A template's pages: as they are, their placeholders marked, or with the values that were tried. */
const props = defineProps<{
  template: Schemas['TemplateDetail']
  version: Schemas['Version']
  pages: Schemas['Pages'] | undefined
  /** What is shown beside them. */
  view: string
}>()
/** The placeholders that are chosen on either side. */
const chosen = defineModel<number[]>('chosen', { required: true })
/** The pages of what was tried out, in place of the template's own. */
const tried = defineModel<Schemas['Tryout'] | undefined>('tried', { required: true })
const zoom = ref(1)

const logicOf = computed(() => {
  const kinds = new Map<number, string>()
  const walk = (lines: Schemas['OutlineInfo'][]) => {
    for (const line of lines) {
      kinds.set(line.placeholder, line.kind)
      walk(line.within)
    }
  }
  walk(props.template.outline)
  return kinds
})
const wrong = computed(() => new Set(props.template.problems.map((p) => p.source)))
function kindOf(number: number) {
  if (wrong.value.has(props.template.placeholders[number]?.text ?? '')) return 'wrong'
  const kind = logicOf.value.get(number)
  return !kind || ['if', 'else', 'repeat', 'set'].includes(kind) ? 'logic' : ''
}
const titleOf = (number: number) =>
  tried.value ? (tried.value.trace[number]?.text ?? '') : (props.template.placeholders[number]?.text ?? '')

/** The marks of the tried-out pages are entries of its trace. */
const chosenMarks = computed(() => {
  const trace = tried.value?.trace
  if (!trace) return chosen.value
  return trace.flatMap((entry, index) => (chosen.value.includes(entry.placeholder) ? [index] : []))
})
function choose(number: number) {
  const entry = tried.value?.trace[number]
  chosen.value = [entry ? entry.placeholder : number]
}
</script>

<template>
  <div class="desk">
    <MarkedPages
      v-if="tried?.pages.length || (!tried && pages)"
      :pages="tried ? tried.pages : (pages?.pages ?? [])"
      :marks="tried ? tried.marks : (pages?.marks ?? [])"
      :signatures="tried?.signatures"
      :zoom="zoom"
      :chosen="chosenMarks"
      :shown="!tried"
      :kind="tried ? undefined : kindOf"
      :title="titleOf"
      @choose="choose"
    />
    <div v-else-if="tried?.faults.length" role="alert">
      <ul class="faults">
        <li v-for="(fault, index) in tried.faults" :key="index">
          <span class="code name">{{ fault.source }}</span> in the {{ placeOf(fault).place }}:
          {{ said(fault) }}
        </li>
      </ul>
    </div>
    <div class="foot">
      <ZoomBar v-model="zoom" />
      <SampleSwitch
        v-if="view !== 'try-out' && !template.problems.length"
        :key="`${view} ${version.id}`"
        :template="template"
        :version="version"
        @tried="tried = $event"
      />
      <ul v-if="!tried" class="legend" aria-label="Colours of the marks">
        <li><i class="value" />Value</li>
        <li><i class="logic" />Logic</li>
        <li v-if="wrong.size"><i class="wrong" />Problem</li>
      </ul>
    </div>
  </div>
</template>

<style scoped>
.desk {
  background: var(--desk);
  overflow: auto;
  padding: 16px 24px;
}
.desk > * {
  max-width: 720px;
  margin: 0 auto;
}
.foot {
  position: sticky;
  bottom: 0;
  width: fit-content;
  display: flex;
  gap: 12px;
  align-items: center;
  padding-right: 8px;
  background: var(--paper);
}
.legend {
  display: inline-flex;
  gap: 12px;
  margin: 0;
  padding: 0 8px;
  list-style: none;
  font-size: 12px;
  color: var(--ink-2);
}
.legend li {
  display: flex;
  gap: 5px;
  align-items: center;
}
.legend i {
  width: 14px;
  height: 10px;
  border-radius: 2px;
}
/* The colours of the marks, on paper. */
.legend .value {
  background: #5b3a6b40;
}
.legend .logic {
  background: #c77e1240;
}
.legend .wrong {
  background: #a8402c59;
}
</style>
