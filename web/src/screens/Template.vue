<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import type { Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import { useTemplate } from '../api/design'
import { count } from '../api/words'
import MarkedPages from '../parts/MarkedPages.vue'
import SampleSwitch from '../parts/SampleSwitch.vue'
import TemplateHead from '../parts/TemplateHead.vue'
import ZoomBar from '../parts/ZoomBar.vue'
import CoverageView from './template/Coverage.vue'
import FieldsView from './template/Fields.vue'
import LogicView from './template/Logic.vue'
import PlaceholdersView from './template/Placeholders.vue'
import SpecimensView from './template/TestCases.vue'
import TryOutView from './template/TryOut.vue'
import VersionsView from './template/Versions.vue'

const props = defineProps<{ id: string; view?: string }>()
const zoom = ref(1)
const route = useRoute()
const router = useRouter()
const version = computed(() => Number(route.query.version) || undefined)
const t = useTemplate(toRef(props, 'id'), version)
const { template, shown, specimens } = t
const busy = ref(false)
/** The placeholders that are chosen on either side. */
const chosen = ref<number[]>([])
/** The pages of what was tried out, in place of the template's own. */
const tried = ref<Schemas['Tryout']>()

const VIEWS = ['logic', 'placeholders', 'fields', 'try-out', 'test-cases', 'coverage', 'versions']
const LABELS: Record<string, string> = {
  logic: 'Logic',
  placeholders: 'Placeholders',
  fields: 'Fields',
  'try-out': 'Try out',
  'test-cases': 'Test cases',
  coverage: 'Coverage',
  versions: 'Versions',
}
const at = computed(() => (props.view && VIEWS.includes(props.view) ? props.view : 'logic'))
const address = (view: string) => ({
  path: `/templates/${props.id}/${view}`,
  query: version.value ? { version: String(version.value) } : {},
})
const changedSpecimens = computed(() => specimens.value.filter((s) => s.state !== 'same').length)
const badge = (view: string) => {
  if (view === 'logic' && template.value?.problems.length)
    return { text: String(template.value.problems.length), kind: 'wrong' }
  if (view === 'test-cases' && changedSpecimens.value)
    return { text: String(changedSpecimens.value), kind: 'att' }
  return undefined
}
watch(at, () => (chosen.value = []))
watch(
  () => [at.value, template.value?.shown],
  () => (tried.value = undefined),
)

const logicOf = computed(() => {
  const kinds = new Map<number, string>()
  const walk = (lines: Schemas['OutlineInfo'][]) => {
    for (const line of lines) {
      kinds.set(line.placeholder, line.kind)
      walk(line.within)
    }
  }
  walk(template.value?.outline ?? [])
  return kinds
})
const wrong = computed(() => new Set(template.value?.problems.map((p) => p.placeholder)))
function kindOf(number: number) {
  if (wrong.value.has(template.value?.placeholders[number]?.text ?? '')) return 'wrong'
  const kind = logicOf.value.get(number)
  return !kind || ['if', 'else', 'repeat', 'set'].includes(kind) ? 'logic' : ''
}
const titleOf = (number: number) =>
  tried.value ? (tried.value.trace[number]?.text ?? '') : (template.value?.placeholders[number]?.text ?? '')

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

async function bringIn(files: File[]) {
  busy.value = true
  const changed = await t.bringIn(files)
  busy.value = false
  if (!changed) return
  if (route.query.version) await router.replace({ query: {} })
  const newest = changed.versions[0]?.number
  const used = changed.in_use === newest
  ElMessage({
    message: used
      ? `Version ${newest} is in use.`
      : `Version ${newest} is saved as a draft. Version ${changed.in_use} remains in use.`,
  })
}

async function remove() {
  const text = `Delete ${template.value?.name} with ${count(template.value?.versions.length ?? 0, 'version')}? This can’t be undone.`
  if (!(await confirmed({ title: 'Delete template', text, act: 'Delete template', destroys: true }))) return
  if (await t.remove()) await router.push('/templates')
}

/** Puts a version in use; asks first where the output of a test case differs in it. */
async function use(number: number) {
  const differ = number === template.value?.shown ? changedSpecimens.value : 0
  if (differ) {
    const text = `The output of ${count(differ, 'test case')} differs in version ${number}. New documents will use this version.`
    const act = `Use version ${number}`
    if (!(await confirmed({ title: act, text, act })))
      return void router.push(`/templates/${template.value?.id}/test-cases`)
  }
  await t.putInUse(number)
}

async function show(number: number) {
  const newest = template.value?.versions[0]?.number
  await router.push({ path: route.path, query: number === newest ? {} : { version: String(number) } })
}
</script>

<template>
  <div v-if="template && shown" class="screen">
    <TemplateHead
      :template="template"
      :version="shown"
      :busy="busy"
      @show="show"
      @use="use(template.shown)"
      @remove="remove"
      @files="bringIn"
    />
    <div class="columns">
      <div class="desk">
        <MarkedPages
          v-if="tried?.pages.length || (!tried && t.pages.value)"
          :pages="tried ? tried.pages : (t.pages.value?.pages ?? [])"
          :marks="tried ? tried.marks : (t.pages.value?.marks ?? [])"
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
              <span class="code name">{{ fault.placeholder }}</span> in the {{ fault.place }}:
              {{ fault.message }}
            </li>
          </ul>
        </div>
        <div class="foot">
          <ZoomBar v-model="zoom" />
          <SampleSwitch
            v-if="at !== 'try-out' && !template.problems.length"
            :key="`${at} ${shown.id}`"
            :template="template"
            :version="shown"
            @tried="tried = $event"
          />
          <ul v-if="!tried" class="legend" aria-label="Colours of the marks">
            <li><i class="value" />Value</li>
            <li><i class="logic" />Logic</li>
            <li v-if="wrong.size"><i class="wrong" />Problem</li>
          </ul>
        </div>
      </div>
      <section class="panel">
        <nav aria-label="Template views">
          <RouterLink v-for="one in VIEWS" :key="one" :to="address(one)" :class="{ here: one === at }">
            {{ LABELS[one] }}
            <span v-if="badge(one)" class="say" :class="badge(one)?.kind">{{ badge(one)?.text }}</span>
          </RouterLink>
        </nav>
        <div class="view">
          <LogicView v-if="at === 'logic'" :template="template" :chosen="chosen" @choose="chosen = $event" />
          <PlaceholdersView
            v-else-if="at === 'placeholders'"
            :template="template"
            :chosen="chosen"
            @choose="chosen = $event"
          />
          <FieldsView v-else-if="at === 'fields'" :template="template" @choose="chosen = $event" />
          <TryOutView
            v-else-if="at === 'try-out'"
            :template="template"
            :version="shown"
            :specimens="specimens"
            @tried="tried = $event"
            @kept="t.loadSpecimens"
          />
          <SpecimensView
            v-else-if="at === 'test-cases'"
            :template="template"
            :specimens="specimens"
            @changed="t.loadSpecimens"
          />
          <CoverageView
            v-else-if="at === 'coverage'"
            :template="template"
            :version="shown"
            @choose="chosen = $event"
          />
          <VersionsView
            v-else
            :template="template"
            @show="show"
            @use="use"
            @restore="t.restore"
            @note="t.note"
          />
        </div>
      </section>
    </div>
  </div>
</template>

<style scoped>
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
.legend .value {
  background: #5b3a6b40;
}
.legend .logic {
  background: #c77e1240;
}
.legend .wrong {
  background: #a8402c59;
}
.columns {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 620px;
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
.desk {
  background: var(--desk);
  overflow: auto;
  padding: 16px 24px;
}
.desk > * {
  max-width: 720px;
  margin: 0 auto;
}
.panel {
  border-left: 1px solid var(--line);
  display: flex;
  flex-direction: column;
  min-height: 0;
}
nav {
  display: flex;
  gap: 2px;
  padding: 0 12px;
  height: 40px;
  flex: none;
  align-items: center;
  border-bottom: 1px solid var(--line);
}
nav a {
  padding: 3px 9px;
  border-radius: var(--radius);
  text-decoration: none;
  white-space: nowrap;
}
nav a:hover {
  background: var(--accent-tint);
}
nav a.here {
  background: var(--accent-tint);
  color: var(--accent);
  font-weight: 600;
}
.view {
  flex: 1;
  min-height: 0;
  overflow: auto;
  padding: 14px 16px;
}
</style>
