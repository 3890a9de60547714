<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'

import type { Schemas } from '../api/client'
import { usePageUrls } from './pageUrls'

/** Pages with marks that can be clicked; the chosen ones are brought into view. */
const props = defineProps<{
  pages: Schemas['SvgPage'][]
  marks: Schemas['PageMark'][]
  /** The places that signers fill in. */
  signatures?: Schemas['PageField'][]
  /** How large the pages are drawn; 1 fits the width. */
  zoom?: number
  /** The numbers of the marks that are chosen. */
  chosen?: number[]
  /** What a mark's hover says. */
  title?: (number: number) => string
  /** Shows every mark, not only the one under the pointer. */
  shown?: boolean
  /** A class for a mark. */
  kind?: (number: number) => string
}>()
const emit = defineEmits<{ choose: [number: number, event: MouseEvent] }>()

const urls = usePageUrls(() => props.pages)

const ofPage = computed(() => {
  const found = props.pages.map(() => [] as Schemas['PageMark'][])
  for (const mark of props.marks) found[mark.page]?.push(mark)
  return found
})
const fieldsOf = (page: number) => props.signatures?.filter((field) => field.page === page) ?? []
const isChosen = (number: number) => props.chosen?.includes(number) ?? false

const says = (field: Schemas['PageField']) =>
  `${field.field[0]?.toUpperCase()}${field.field.slice(1)} for ${field.role}${field.optional ? ' (optional)' : ''}`

function place(mark: Omit<Schemas['PageMark'], 'number'>, page: Schemas['SvgPage']) {
  const part = (length: number, whole: number) => `${(length / whole) * 100}%`
  return {
    left: part(mark.left - 1, page.width),
    top: part(mark.top, page.height),
    width: part(mark.width + 2, page.width),
    height: part(mark.height, page.height),
  }
}

const box = ref<HTMLElement>()
watch(
  () => props.chosen?.join(),
  async () => {
    await nextTick()
    box.value?.querySelector('.mark.chosen')?.scrollIntoView({ block: 'nearest' })
  },
)
</script>

<template>
  <div ref="box" class="pages">
    <div
      v-for="(page, index) in pages"
      :key="index"
      class="page"
      :style="{ aspectRatio: `${page.width} / ${page.height}`, width: `${(zoom ?? 1) * 100}%` }"
    >
      <img :src="urls[index]" :alt="`Page ${index + 1}`" />
      <!-- The text once more, unseen: to be selected and copied. -->
      <svg class="text" :viewBox="`0 0 ${page.width} ${page.height}`" aria-hidden="true">
        <text
          v-for="(piece, at) in page.text"
          :key="at"
          :x="piece.left"
          :y="piece.base"
          :font-size="piece.size"
          :textLength="piece.width"
          lengthAdjust="spacingAndGlyphs"
        >
          {{ piece.text }}
        </text>
      </svg>
      <div
        v-for="(field, at) in fieldsOf(index)"
        :key="`field ${at}`"
        class="field"
        :style="place(field, page)"
        :title="says(field)"
      >
        <span>{{ says(field) }}</span>
      </div>
      <button
        v-for="(mark, at) in ofPage[index]"
        :key="at"
        type="button"
        class="mark"
        :class="[{ chosen: isChosen(mark.number), shown }, kind?.(mark.number)]"
        :style="place(mark, page)"
        :title="title?.(mark.number)"
        :aria-label="title?.(mark.number)"
        tabindex="-1"
        @click="emit('choose', mark.number, $event)"
      />
    </div>
  </div>
</template>

<style scoped>
.page {
  position: relative;
  margin-bottom: 12px;
  background: #fff;
  box-shadow:
    0 1px 2px #0002,
    0 6px 18px #0000000f;
}
img {
  display: block;
  width: 100%;
}
.text {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.text text {
  fill: transparent;
  white-space: pre;
  cursor: text;
  user-select: text;
}
.text text::selection {
  background: #5b3a6b55;
}
/* Where someone signs: shown here only, never printed. */
.field {
  position: absolute;
  container-type: size;
  border: 1px dashed #c77e12;
  border-radius: 2px;
  background: #c77e1214;
  overflow: hidden;
}
.field span {
  display: block;
  padding: 0 3px;
  font-size: min(11px, 90cqh);
  line-height: 1.2;
  color: #7a4a05;
  white-space: nowrap;
}
.mark {
  position: absolute;
  padding: 0;
  border: 0;
  border-radius: 2px;
  background: none;
  cursor: pointer;
  mix-blend-mode: multiply;
}
/* Paper is white in both themes, and so are the marks on it light. */
.mark.shown {
  min-width: 9px;
  min-height: 9px;
  background: #5b3a6b1c;
}
.mark.shown.logic {
  background: #c77e1226;
}
.mark.shown.wrong {
  background: #a8402c33;
}
.mark.failed {
  background: #a8402c33;
  outline: 1.5px solid #a8402c;
}
.mark:hover {
  background: #5b3a6b33;
}
.mark.chosen {
  background: #5b3a6b40;
  outline: 1.5px solid #5b3a6b;
}
</style>
