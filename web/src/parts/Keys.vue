<script setup lang="ts">
const open = defineModel<boolean>({ required: true })
const keys = [
  ['Ctrl K', 'find a sheet, template, dispatch or run'],
  ['← →', 'on the bench: the record before and after'],
  ['F', 'on the bench: the next record with findings'],
  ['↑ ↓', 'in a table: the row above and below'],
  ['Enter', 'open the row'],
  ['?', 'these keys'],
]
</script>

<template>
  <el-dialog v-model="open" title="Keys" width="420">
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
