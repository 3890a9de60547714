<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { onBeforeRouteLeave, onBeforeRouteUpdate } from 'vue-router'

import { api, ask, attempt, type Schemas, upload } from '../../api/client'
import { confirmed } from '../../api/confirm'
import { useSheets } from '../../api/design'
import { count } from '../../api/words'
import FilePick from '../../parts/FilePick.vue'
import Group from '../../parts/Group.vue'
import PackPart from '../../parts/PackPart.vue'
import { useReorder } from '../../parts/reorder'

/** The parts of a pack in their order: added, dragged, moved by keyboard, each with when it is included. */
const props = defineProps<{ template: Schemas['TemplateDetail'] }>()
const emit = defineEmits<{ saved: [Schemas['TemplateDetail']] }>()

type Pack = Schemas['Pack']
const copy = (pack: Pack | null | undefined): Pack =>
  JSON.parse(JSON.stringify(pack ?? { parts: [], numbering: 'per-part', cover: '', contents: false })) as Pack
const pack = ref<Pack>(copy(props.template.pack))
watch(
  () => props.template.pack,
  (now) => (pack.value = copy(now)),
)
const dirty = computed(() => JSON.stringify(pack.value) !== JSON.stringify(copy(props.template.pack)))
const { sheet } = useSheets(props.template)

// Nobody leaves changes behind without being asked.
useEventListener(window, 'beforeunload', (event) => {
  if (dirty.value) event.preventDefault()
})
async function mayLeave() {
  if (!dirty.value) return true
  const text = 'The pack has changes that are not saved. Discard them?'
  return await confirmed({ title: 'Discard changes', text, act: 'Discard changes', destroys: true })
}
onBeforeRouteLeave(mayLeave)
onBeforeRouteUpdate(mayLeave)

const templates = ref<Schemas['TemplateInfo'][]>([])
onMounted(() => attempt(async () => (templates.value = await ask(api.GET('/api/templates')))))
const others = computed(() => templates.value.filter((one) => one.id !== props.template.id))

const open = ref<number>()
const list = ref<HTMLElement>()
const busy = ref(false)

/** A name that no other part has. */
function free(name: string) {
  const taken = (one: string) =>
    pack.value.parts.some((part) => part.name.toLowerCase() === one.toLowerCase())
  let own = name
  for (let number = 2; taken(own); number++) own = `${name} ${number}`
  return own
}
function add(name: string, content: Schemas['PartContent']) {
  pack.value.parts.push({ name: free(name), title: '', content, include: { kind: 'always' }, repeat: '' })
  open.value = pack.value.parts.length - 1
}
function addTemplate(id: number) {
  const one = others.value.find((own) => own.id === id)
  if (one) add(one.name, { kind: 'template', id, version: null })
}
async function addFiles(files: File[]) {
  busy.value = true
  for (const file of files) {
    const kept = await attempt(() => ask(api.POST('/api/pack-files', upload([file]))))
    if (kept) add(kept.name, kept.content)
  }
  busy.value = false
}
function move(from: number, to: number) {
  if (to < 0 || to >= pack.value.parts.length || from === to) return
  pack.value.parts.splice(to, 0, ...pack.value.parts.splice(from, 1))
  if (open.value === from) open.value = to
}
const { item } = useReorder(move)
function remove(at: number) {
  pack.value.parts.splice(at, 1)
  open.value = undefined
}
function key(event: KeyboardEvent, at: number) {
  const by = { ArrowUp: -1, ArrowDown: 1 }[event.key]
  if (!by) return
  event.preventDefault()
  if (event.altKey) move(at, at + by)
  window.setTimeout(() => list.value?.querySelectorAll<HTMLElement>('button.one')[at + by]?.focus())
}

function kindOf(part: Schemas['Part']) {
  const { content } = part
  if (content.kind === 'pdf') return 'PDF'
  if (content.kind === 'picture') return 'Picture'
  const one = templates.value.find((own) => own.id === content.id)
  return one?.versions[0]?.kind === 'pack' ? 'Pack' : 'Template'
}
function included(part: Schemas['Part']) {
  const { include, repeat } = part
  const when = {
    always: () => '',
    if: () => `if ${(include as { condition: string }).condition || '…'}`,
    ask: () => 'asked before the run',
    'one-of': () => `one of “${(include as { group: string }).group}”`,
  }[include.kind]()
  return [when, repeat.trim() && `for each of ${repeat}`].filter(Boolean).join(', ')
}

async function save() {
  busy.value = true
  const newest = props.template.versions[0]?.number
  const params = { path: { id: props.template.id }, query: { newest } }
  const saved = await attempt(() => ask(api.PUT('/api/packs/{id}', { params, body: pack.value })))
  busy.value = false
  if (!saved) return
  emit('saved', saved)
  const made = saved.versions[0]?.number
  const text =
    saved.in_use === made
      ? `Version ${made} is in use.`
      : `Version ${made} is saved as a draft. Version ${saved.in_use} remains in use.`
  ElMessage({ message: text })
}
</script>

<template>
  <ul v-if="template.problems.length" class="problems" aria-label="Problems">
    <li v-for="problem in template.problems" :key="problem.message" class="problem">
      {{ problem.message }} {{ problem.help }}
    </li>
  </ul>
  <p v-if="!pack.parts.length" class="quiet">
    A pack combines several documents into one PDF. Add its parts below.
  </p>
  <ol ref="list" aria-label="Parts">
    <li v-for="(part, at) in pack.parts" :key="at" v-bind="item(at)" :class="{ open: open === at }">
      <button
        type="button"
        class="one"
        :aria-expanded="open === at"
        title="Drag to reorder, or press Alt+↑ or Alt+↓"
        @click="open = open === at ? undefined : at"
        @keydown="key($event, at)"
      >
        <span class="place">{{ at + 1 }}</span>
        <b class="name">{{ part.name || '(no name)' }}</b>
        <span class="quiet">{{ kindOf(part) }}</span>
        <span class="when">{{ included(part) }}</span>
      </button>
      <PackPart
        v-if="open === at"
        v-model="pack.parts[at]!"
        :templates="others"
        :sheet="sheet?.id"
        :groups="[
          ...new Set(pack.parts.flatMap((p) => (p.include.kind === 'one-of' ? [p.include.group] : []))),
        ]"
        @remove="remove(at)"
      />
    </li>
  </ol>
  <div class="row">
    <el-select
      :model-value="undefined"
      placeholder="Add template or pack"
      aria-label="Add template or pack"
      class="adds"
      @change="addTemplate"
    >
      <el-option v-for="one in others" :key="one.id" :value="one.id" :label="one.name" />
    </el-select>
    <FilePick
      label="Add PDF or picture"
      accept=".pdf,.png,.jpg,.jpeg,.webp,.gif"
      many
      :busy="busy"
      @files="addFiles"
    />
  </div>
  <Group :level="2" title="Pages">
    <label class="field">
      <span>Page numbers</span>
      <el-select v-model="pack.numbering" aria-label="Page numbers">
        <el-option value="per-part" label="Each part from 1" />
        <el-option value="through" label="Through all parts" />
      </el-select>
    </label>
    <label class="field">
      <span>Cover</span>
      <el-input
        v-model="pack.cover"
        type="textarea"
        :autosize="{ minRows: 1, maxRows: 5 }"
        aria-label="Cover"
        placeholder="No cover page"
      />
      <small class="quiet">The first line is the title. Placeholders are allowed.</small>
    </label>
    <el-checkbox v-model="pack.contents" label="Page of contents" />
  </Group>
  <div class="row foot">
    <el-button type="primary" :disabled="!dirty" :loading="busy" @click="save">Save pack</el-button>
    <el-button :disabled="!dirty" @click="pack = copy(template.pack)">Discard changes</el-button>
    <span class="quiet">{{ dirty ? 'Not saved yet' : count(pack.parts.length, 'part') }}</span>
  </div>
</template>

<style scoped>
ol,
.problems {
  list-style: none;
  margin: 0 0 10px;
  padding: 0;
}
li {
  border-bottom: 1px solid var(--line-2);
}
.problems li {
  border: 0;
}
li.over {
  box-shadow: inset 0 2px var(--accent);
}
li.open {
  background: var(--sheet);
}
.one {
  display: flex;
  align-items: baseline;
  gap: 8px;
  width: 100%;
  min-height: 32px;
  padding: 4px 8px;
  border: 0;
  background: none;
  text-align: left;
  cursor: pointer;
}
.one:hover {
  background: var(--accent-tint);
}
.place {
  width: 18px;
  text-align: right;
  color: var(--ink-2);
  font-variant-numeric: tabular-nums;
}
.when {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  text-align: right;
  color: var(--ink-2);
}
.row {
  display: flex;
  align-items: center;
  gap: 8px;
}
.adds {
  width: 220px;
}
.foot {
  position: sticky;
  z-index: 2;
  bottom: -14px;
  padding: 10px 0;
  background: var(--paper);
  border-top: 1px solid var(--line);
}
</style>
