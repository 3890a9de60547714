<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import type { Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import { useTemplate } from '../api/design'
import { count } from '../api/words'
import TemplateHead from '../parts/TemplateHead.vue'
import TemplatePage from '../parts/TemplatePage.vue'
import CoverageView from './template/Coverage.vue'
import FieldsView from './template/Fields.vue'
import LogicView from './template/Logic.vue'
import PartsView from './template/Parts.vue'
import PlaceholdersView from './template/Placeholders.vue'
import SpecimensView from './template/TestCases.vue'
import TryOutView from './template/TryOut.vue'
import VersionsView from './template/Versions.vue'

const props = defineProps<{ id: string; view?: string }>()
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

/** A pack has parts; the logic of each is on its own template's screen. */
const views = computed(() => [
  ...(template.value?.pack ? ['parts'] : ['logic']),
  'placeholders',
  'fields',
  'try-out',
  'test-cases',
  ...(template.value?.pack ? [] : ['coverage']),
  'versions',
])
const LABELS: Record<string, string> = {
  parts: 'Parts',
  logic: 'Logic',
  placeholders: 'Placeholders',
  fields: 'Fields',
  'try-out': 'Try out',
  'test-cases': 'Test cases',
  coverage: 'Coverage',
  versions: 'Versions',
}
const at = computed(() => (props.view && views.value.includes(props.view) ? props.view : views.value[0]!))
const address = (view: string) => ({
  path: `/templates/${props.id}/${view}`,
  query: version.value ? { version: String(version.value) } : {},
})
const changedSpecimens = computed(() => specimens.value.filter((s) => s.state !== 'same').length)
const badge = (view: string) => {
  if (['logic', 'parts'].includes(view) && template.value?.problems.length)
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

/** The newest version is shown, whichever was shown before. */
async function savedPack(saved: Schemas['TemplateDetail']) {
  if (route.query.version) await router.replace({ query: {} })
  await t.take(saved)
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
    if (!(await confirmed({ title: act, text, act }))) return
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
      <TemplatePage
        v-model:chosen="chosen"
        v-model:tried="tried"
        :template="template"
        :version="shown"
        :pages="t.pages.value"
        :view="at"
      />
      <section class="panel">
        <nav aria-label="Template views">
          <RouterLink v-for="one in views" :key="one" :to="address(one)" :class="{ here: one === at }">
            {{ LABELS[one] }}
            <span v-if="badge(one)" class="say" :class="badge(one)?.kind">{{ badge(one)?.text }}</span>
          </RouterLink>
        </nav>
        <div class="view">
          <PartsView v-if="at === 'parts'" :template="template" @saved="savedPack" />
          <LogicView
            v-else-if="at === 'logic'"
            :template="template"
            :chosen="chosen"
            @choose="chosen = $event"
          />
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
.columns {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 620px);
}
@media (max-width: 1100px) {
  .columns {
    grid-template-columns: minmax(0, 1fr) minmax(0, 500px);
  }
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: minmax(0, 55%) minmax(0, 45%);
  }
  .columns > :first-child {
    order: 1;
    border-top: 1px solid var(--line);
  }
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
