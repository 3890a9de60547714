<script setup lang="ts">
const open = defineModel<boolean>({ required: true })
const keys = [
  ['Ctrl+K', 'Search sheets, templates, dispatches and runs'],
  ['← →', 'Dispatch: previous or next record'],
  ['F', 'Dispatch: next record with findings'],
  ['↑ ↓', 'Table: previous or next row'],
  ['Enter', 'Table: open the row'],
  ['F2', 'Sheet: edit the cell'],
  ['Ctrl+D', 'Sheet: fill down'],
  ['Ctrl+Z, Ctrl+Y', 'Sheet and form: undo, redo'],
  ['Alt+↑, Alt+↓', 'Sheet and form: move up or down'],
  ['?', 'Show keyboard shortcuts'],
]
</script>

<template>
  <el-dialog v-model="open" title="Keyboard shortcuts" width="420">
    <dl>
      <template v-for="[key, what] in keys" :key="key"
        ><dt>
          <kbd>{{ key }}</kbd>
        </dt>
        <dd>{{ what }}</dd></template
      >
    </dl>
  </el-dialog>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 72px 1fr;
  gap: 8px;
  margin: 4px 0;
}
dd {
  margin: 0;
}
</style>
