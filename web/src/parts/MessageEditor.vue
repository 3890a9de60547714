<script setup lang="ts">
import { mergeAttributes, Node, nodeInputRule } from '@tiptap/core'
import Image from '@tiptap/extension-image'
import { TableKit } from '@tiptap/extension-table'
import StarterKit from '@tiptap/starter-kit'
import { EditorContent, useEditor } from '@tiptap/vue-3'
import { ref, watch } from 'vue'

import { fromEditor, isPassage, toEditor } from './message-html'
import MessageTools from './MessageTools.vue'

/**
 * The editor of a rich message. Placeholders are chips: typed with `[:` and `]`, or inserted from
 * the list of fields. What is stored is HTML with placeholders as plain text.
 */
const props = defineProps<{ modelValue: string; dispatch: string; fields: string[] }>()
const emit = defineEmits<{ 'update:modelValue': [html: string] }>()

const Placeholder = Node.create({
  name: 'placeholder',
  group: 'inline',
  inline: true,
  atom: true,
  addAttributes: () => ({
    text: {
      default: '',
      parseHTML: (element: HTMLElement) => element.dataset.placeholder ?? '',
      renderHTML: ({ text }: Record<string, string>) => ({ 'data-placeholder': text }),
    },
  }),
  parseHTML: () => [{ tag: 'span[data-placeholder]' }],
  renderHTML: ({ node, HTMLAttributes }) => {
    const text = String(node.attrs.text)
    const look = { class: isPassage(text) ? 'chip passage' : 'chip' }
    return ['span', mergeAttributes(HTMLAttributes, look), text]
  },
  renderText: ({ node }) => String(node.attrs.text),
  addInputRules() {
    return [
      nodeInputRule({
        find: /(\[:(?:[^\]"]|"[^"]*")+\])$/,
        type: this.type,
        getAttributes: (match) => ({ text: match[1] }),
      }),
    ]
  },
})

let stored = props.modelValue
const source = ref(false)
const editor = useEditor({
  content: toEditor(props.modelValue, props.dispatch),
  extensions: [
    StarterKit.configure({
      heading: { levels: [1, 2, 3] },
      // What a record makes of an address is looked at when the message is made.
      link: { openOnClick: false, isAllowedUri: () => true, HTMLAttributes: { target: null, rel: null } },
    }),
    TableKit.configure({ table: { resizable: false } }),
    Image.configure({ inline: true }),
    Placeholder,
  ],
  editorProps: { attributes: { 'aria-label': 'Message', class: 'page', role: 'textbox' } },
  onUpdate: ({ editor }) => tell(fromEditor(editor.getHTML(), props.dispatch)),
})

function tell(html: string) {
  stored = html
  emit('update:modelValue', html)
}

// Undo, or another window.
watch(
  () => props.modelValue,
  (html) => {
    if (html === stored) return
    stored = html
    editor.value?.commands.setContent(toEditor(html, props.dispatch), { emitUpdate: false })
  },
)
// What was written as HTML is read when the editor is shown again.
watch(source, (on) => {
  if (!on) editor.value?.commands.setContent(toEditor(stored, props.dispatch), { emitUpdate: false })
})
</script>

<template>
  <div class="message">
    <div class="tools" role="toolbar" aria-label="Format">
      <MessageTools v-if="!source && editor" :editor="editor" :dispatch="dispatch" :fields="fields" />
      <span class="push" />
      <el-button :class="{ on: source }" :aria-pressed="source" @click="source = !source">HTML</el-button>
    </div>
    <el-input
      v-if="source"
      class="code"
      type="textarea"
      :rows="14"
      aria-label="HTML"
      :model-value="modelValue"
      @update:model-value="tell"
    />
    <EditorContent v-else :editor="editor" />
  </div>
</template>

<style scoped>
.message {
  border: 1px solid var(--line);
  background: var(--sheet);
}
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px;
  padding: 4px;
  border-bottom: 1px solid var(--line);
}
.tools :deep(.el-button) {
  margin: 0;
  min-width: 28px;
  padding: 0 8px;
}
.tools :deep(.on) {
  background: var(--line-2);
}
.message :deep(.page) {
  min-height: 180px;
  max-height: 50vh;
  overflow: auto;
  padding: 10px 14px;
  outline: none;
  font-size: 14px;
  line-height: 1.5;
}
.message :deep(.page p) {
  margin: 0 0 0.8em;
}
.message :deep(.chip) {
  background: var(--line-2);
  border-radius: 3px;
  padding: 0 4px;
  font-family: var(--mono, monospace);
  font-size: 12px;
}
.message :deep(.chip.passage) {
  background: transparent;
  border: 1px dashed var(--accent);
  color: var(--accent);
}
.message :deep(table) {
  border-collapse: collapse;
  margin-bottom: 0.8em;
}
.message :deep(td),
.message :deep(th) {
  border: 1px solid var(--line);
  padding: 4px 8px;
  min-width: 60px;
  text-align: left;
}
.message :deep(td p),
.message :deep(th p) {
  margin: 0;
}
.message :deep(img) {
  max-width: 100%;
}
.message :deep(.ProseMirror-selectednode) {
  outline: 2px solid var(--accent);
}
</style>
