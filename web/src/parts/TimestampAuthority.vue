<script setup lang="ts">
import FormLine from './FormLine.vue'

/** Where the moments of seals are confirmed. */
const address = defineModel<string>({ required: true })
</script>

<template>
  <FormLine
    class="wide"
    label="Timestamp authority"
    about="Confirms when a document was sealed. An address that speaks RFC 3161, e.g. https://timestamps.example"
  >
    <el-input v-model="address" class="code" />
  </FormLine>
</template>
