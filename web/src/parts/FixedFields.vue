<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { nextTick, onMounted, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { useFieldPlaces } from './field-places'
import { usePageUrls } from './pageUrls'

/**
 * The signature fields on the pages of a PDF: placed by hand, dragged, moved with the arrow keys or by
 * millimetres, or at each place of a marker text.
 */
const props = defineProps<{ file: string; name: string }>()
defineEmits<{ close: [] }>()
const fields = defineModel<Schemas['FixedField'][]>({ required: true })

const pages = ref<Schemas['SvgPage'][]>([])
const placed = ref<Schemas['PlacedField'][]>([])
const chosen = ref(-1)
const urls = usePageUrls(() => pages.value)
const box = ref<HTMLElement>()

async function look() {
  const params = { path: { file: props.file } }
  const got = await attempt(() =>
    ask(api.POST('/api/pack-files/{file}/fields', { params, body: fields.value })),
  )
  if (got) placed.value = got
}
watch(fields, useDebounceFn(look, 200), { deep: true })
onMounted(() =>
  attempt(async () => {
    const params = { path: { file: props.file } }
    pages.value = (await ask(api.GET('/api/pack-files/{file}/pages', { params }))).pages
    await look()
  }),
)

const { ofPage, style, put, nudge, drag } = useFieldPlaces(fields, placed, pages)
const says = (at: number) => {
  const own = placed.value[at]
  return own?.role ? `${own.field} for ${own.role}` : (fields.value[at]?.placeholder ?? '')
}

const SIDES = ['left', 'top'] as const
/** By hand from the edges of the page, with a marker text from there. */
const NAMES = { left: ['Left', 'Right by'], top: ['Top', 'Down by'] } as const

function key(event: KeyboardEvent, at: number) {
  if (event.key === 'Delete') remove(at)
  else nudge(event, at)
}
async function add() {
  const last = fields.value[fields.value.length - 1]
  const placeholder = last?.placeholder ?? '[:signer holder signature]'
  const page = last?.page ?? pages.value.length
  const top = last && !last.marker ? last.top + 220 : 2320
  fields.value.push({ placeholder, marker: '', page: Math.max(1, page), left: 250, top })
  chosen.value = fields.value.length - 1
  await look()
  const field = fields.value[chosen.value]
  if (field) put(chosen.value, field)
  await nextTick()
  box.value?.querySelector<HTMLElement>('.field.chosen')?.focus()
}
/** By a marker text a field is moved from there, by hand from the edges of its page. */
function mark(field: Schemas['FixedField'], marker: string) {
  if (!field.marker && marker) Object.assign(field, { left: 0, top: 0 })
  if (field.marker && !marker) Object.assign(field, { left: 250, top: 2320 })
  field.marker = marker
}
function remove(at: number) {
  fields.value.splice(at, 1)
  chosen.value = -1
}
</script>

<template>
  <el-dialog
    :model-value="true"
    :title="`Signature fields on ${name}`"
    width="min(1080px, 94vw)"
    top="4vh"
    @close="$emit('close')"
  >
    <div class="both">
      <div ref="box" class="pages" tabindex="0" aria-label="Pages">
        <div
          v-for="(page, index) in pages"
          :key="index"
          class="page"
          :style="{ aspectRatio: `${page.width} / ${page.height}` }"
        >
          <img :src="urls[index]" :alt="`Page ${index + 1}`" draggable="false" />
          <button
            v-for="(own, place) in ofPage[index]"
            :key="`${own.at} ${place}`"
            type="button"
            class="field"
            :class="{ chosen: own.at === chosen }"
            :style="style(own, page)"
            :aria-label="`Field ${own.at + 1}: ${says(own.at)}`"
            title="Drag, or press an arrow key: 1 mm, with Shift 1 cm, with Alt 0.1 mm"
            @pointerdown="drag($event, own.at)"
            @focus="chosen = own.at"
            @keydown="key($event, own.at)"
          >
            {{ says(own.at) }}
          </button>
        </div>
      </div>
      <div class="list">
        <fieldset v-for="(field, at) in fields" :key="at" :class="{ chosen: at === chosen }">
          <legend>Field {{ at + 1 }}</legend>
          <el-input
            v-model="field.placeholder"
            class="code"
            :aria-label="`Placeholder of field ${at + 1}`"
            @focus="chosen = at"
          />
          <small v-if="placed[at]?.problem" class="wrong" role="alert">{{ placed[at]?.problem }}</small>
          <label class="marker"
            ><span>Marker text, blank to place it by hand</span>
            <el-input
              :model-value="field.marker ?? ''"
              :aria-label="`Marker text of field ${at + 1}`"
              @input="(text: string) => mark(field, text)"
              @focus="chosen = at"
          /></label>
          <div class="numbers">
            <label v-if="!field.marker"
              ><span>Page</span>
              <el-input-number
                v-model="field.page"
                :min="1"
                :controls="false"
                :aria-label="`Page of field ${at + 1}`"
            /></label>
            <label v-for="side in SIDES" :key="side"
              ><span>{{ NAMES[side][field.marker ? 1 : 0] }}, mm</span>
              <el-input-number
                :model-value="field[side] / 10"
                :min="field.marker ? -1000 : 0"
                :precision="1"
                :controls="false"
                :aria-label="`${NAMES[side][field.marker ? 1 : 0]} of field ${at + 1} in millimetres`"
                @change="(mm: number | undefined) => put(at, { ...field, [side]: (mm ?? 0) * 10 })"
            /></label>
          </div>
          <el-button text size="small" @click="remove(at)">Remove field</el-button>
        </fieldset>
        <p v-if="!fields.length" class="quiet">
          Add a field for each place where someone signs. Its placeholder says who and what, as in a template.
          It is placed by hand, or wherever a marker text is on the pages.
        </p>
        <el-button :disabled="!pages.length" @click="add">Add field</el-button>
      </div>
    </div>
    <template #footer>
      <el-button type="primary" @click="$emit('close')">Done</el-button>
    </template>
  </el-dialog>
</template>

<style scoped>
.both {
  display: grid;
  grid-template-columns: 1fr 300px;
  height: 72vh;
  border: 1px solid var(--line);
}
.pages {
  overflow: auto;
  padding: 16px;
  background: var(--desk);
}
.page {
  position: relative;
  margin-bottom: 12px;
  background: #fff;
}
img {
  display: block;
  width: 100%;
  user-select: none;
}
.field {
  position: absolute;
  padding: 0 3px;
  border: 1px dashed #c77e12;
  border-radius: 2px;
  background: #c77e1224;
  color: #7a4a05;
  font-size: 11px;
  text-align: left;
  white-space: nowrap;
  overflow: hidden;
  cursor: move;
  touch-action: none;
}
.field.chosen {
  border-style: solid;
  background: #c77e1240;
}
.list {
  overflow: auto;
  padding: 10px 12px;
  border-left: 1px solid var(--line);
}
fieldset {
  margin: 0 0 10px;
  padding: 0 0 8px;
  border: 0;
  border-bottom: 1px solid var(--line-2);
}
legend {
  padding: 0;
  font-weight: 600;
}
.wrong {
  color: var(--wrong);
}
.numbers {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 8px;
  margin-top: 6px;
}
.marker {
  display: block;
  margin-top: 6px;
}
.numbers span,
.marker span {
  display: block;
  font-size: 12px;
  color: var(--ink-2);
}
.numbers .el-input-number {
  width: 100%;
}
</style>
