<script setup lang="ts">
import type { Editor } from '@tiptap/vue-3'
import { computed, ref } from 'vue'

import { api, ask, attempt, upload } from '../api/client'

/** What formats a message in its editor, and inserts links, pictures, tables, fields, passages. */
const props = defineProps<{ editor: Editor; dispatch: string; fields: string[] }>()

const chain = () => props.editor.chain().focus()
const insert = (text: string) => chain()?.insertContent({ type: 'placeholder', attrs: { text } }).run()
const field = (name: string) =>
  insert(/^[\p{L}_][\p{L}\d_ .-]*$/u.test(name) ? `[: ${name}]` : `[: '${name}']`)

function passage(open: string) {
  const of = (text: string) => ({ type: 'paragraph', content: [{ type: 'placeholder', attrs: { text } }] })
  chain()
    ?.insertContent([of(open), { type: 'paragraph' }, of('[:end]')])
    .run()
}

async function link() {
  const before = String(props.editor.getAttributes('link').href ?? '')
  const asked = await ElMessageBox.prompt(
    'Address, or a placeholder with one. Blank to remove the link.',
    'Link',
    {
      inputValue: before || '[: document.link]',
      confirmButtonText: 'Set link',
      cancelButtonText: 'Cancel',
    },
  ).catch(() => undefined)
  if (!asked) return
  const href = asked.value?.trim() ?? ''
  if (!href) return void chain()?.extendMarkRange('link').unsetLink().run()
  if (props.editor.state.selection.empty && !before)
    chain()
      ?.insertContent({
        type: 'text',
        text: href.startsWith('[:') ? 'Open' : href,
        marks: [{ type: 'link', attrs: { href } }],
      })
      .run()
  else chain()?.extendMarkRange('link').setLink({ href }).run()
}

const picker = ref<HTMLInputElement>()
async function picture() {
  const file = picker.value?.files?.[0]
  if (picker.value) picker.value.value = ''
  if (!file) return
  const path = { key: props.dispatch }
  const kept = await attempt(() =>
    ask(
      api.POST('/api/dispatches/{key}/pictures', {
        params: { path },
        ...upload([file]),
      }),
    ),
  )
  const own = kept?.find((one) => one.name === file.name)
  if (!own) return
  const address = `/api/dispatches/${encodeURIComponent(props.dispatch)}/pictures/${encodeURIComponent(own.name)}`
  chain()?.setImage({ src: address, alt: '' }).run()
}

const active = (name: string, attributes?: object) => props.editor.isActive(name, attributes) ?? false
const inTable = computed(() => active('table'))
const marks = [
  ['bold', 'Bold', 'B', () => chain()?.toggleBold().run()],
  ['italic', 'Italic', 'I', () => chain()?.toggleItalic().run()],
  ['underline', 'Underline', 'U', () => chain()?.toggleUnderline().run()],
  ['bulletList', 'Bulleted list', '•', () => chain()?.toggleBulletList().run()],
  ['orderedList', 'Numbered list', '1.', () => chain()?.toggleOrderedList().run()],
] as const
const HEADINGS = ['Text', 'Heading 1', 'Heading 2', 'Heading 3']
const level = computed(() => [1, 2, 3].find((one) => active('heading', { level: one })) ?? 0)
const setLevel = (to: number) =>
  to === 0
    ? chain()?.setParagraph().run()
    : chain()
        ?.setHeading({ level: to as 1 | 2 | 3 })
        .run()
</script>

<template>
  <el-select :model-value="level" aria-label="Paragraph style" class="style" @change="setLevel">
    <el-option v-for="(name, at) in HEADINGS" :key="at" :value="at" :label="name" />
  </el-select>
  <el-button
    v-for="[name, label, sign, act] in marks"
    :key="name"
    :class="[name, { on: active(name) }]"
    :aria-label="label"
    :title="label"
    :aria-pressed="active(name)"
    @click="act"
    >{{ sign }}</el-button
  >
  <el-button title="Link" @click="link">Link</el-button>
  <el-button title="Insert a picture" @click="picker?.click()">Picture</el-button>
  <el-dropdown trigger="click">
    <el-button>Table</el-button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item @click="chain()?.insertTable({ rows: 2, cols: 3, withHeaderRow: true }).run()"
          >Insert table</el-dropdown-item
        >
        <el-dropdown-item :disabled="!inTable" @click="chain()?.addRowAfter().run()"
          >Add row</el-dropdown-item
        >
        <el-dropdown-item :disabled="!inTable" @click="chain()?.addColumnAfter().run()"
          >Add column</el-dropdown-item
        >
        <el-dropdown-item :disabled="!inTable" @click="chain()?.deleteRow().run()"
          >Delete row</el-dropdown-item
        >
        <el-dropdown-item :disabled="!inTable" @click="chain()?.deleteColumn().run()"
          >Delete column</el-dropdown-item
        >
        <el-dropdown-item :disabled="!inTable" @click="chain()?.deleteTable().run()"
          >Delete table</el-dropdown-item
        >
      </el-dropdown-menu>
    </template>
  </el-dropdown>
  <el-select
    class="field"
    :model-value="undefined"
    placeholder="Insert field"
    aria-label="Insert field"
    filterable
    @change="field"
  >
    <el-option v-for="name in fields" :key="name" :value="name" :label="name" />
  </el-select>
  <el-dropdown trigger="click">
    <el-button>Passage</el-button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item @click="passage(`[:if ${fields[0] ?? 'field'} is not blank]`)"
          >Only if a condition is true</el-dropdown-item
        >
        <el-dropdown-item @click="passage('[:repeat for lines]')">Once for each in a list</el-dropdown-item>
      </el-dropdown-menu>
    </template>
  </el-dropdown>
  <input ref="picker" type="file" accept="image/*" hidden aria-label="Picture" @change="picture" />
</template>

<style scoped>
.bold {
  font-weight: 700;
}
.italic {
  font-style: italic;
}
.underline {
  text-decoration: underline;
}
.style {
  width: 110px;
}
.field {
  width: 140px;
}
.el-dropdown {
  display: inline-flex;
}
</style>
