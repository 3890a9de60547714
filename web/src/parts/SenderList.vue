<script setup lang="ts">
import type { Schemas } from '../api/client'
import FormLine from './FormLine.vue'

/** Those beside the office itself whom messages may come from. */
const senders = defineModel<Schemas['Sender'][]>({ required: true })

const add = () => (senders.value = [...senders.value, { name: '', address: '', reply_to: '', signature: '' }])
const remove = (at: number) => (senders.value = senders.value.filter((_, index) => index !== at))
</script>

<template>
  <div class="wide senders">
    <p v-if="!senders.length" class="quiet">
      Messages come from the office. Add senders such as “Accounts” to choose from in a dispatch.
    </p>
    <section v-for="(one, at) in senders" :key="at" :aria-label="`Sender ${at + 1}`">
      <FormLine label="Name">
        <el-input v-model="one.name" />
      </FormLine>
      <FormLine label="Address">
        <el-input v-model="one.address" />
      </FormLine>
      <FormLine label="Reply to" about="Blank if replies go to the address.">
        <el-input v-model="one.reply_to" />
      </FormLine>
      <FormLine class="signature" label="Signature" about="Added below each message.">
        <el-input v-model="one.signature" type="textarea" :rows="2" />
      </FormLine>
      <el-button text :aria-label="`Remove sender ${one.name || at + 1}`" @click="remove(at)"
        >Remove</el-button
      >
    </section>
    <el-button @click="add">Add sender</el-button>
  </div>
</template>

<style scoped>
section {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 200px), 1fr));
  align-items: start;
  gap: 0 16px;
  border-bottom: 1px solid var(--line);
  margin-bottom: 10px;
  padding-bottom: 6px;
}
.signature {
  grid-column: 1 / -1;
}
section .el-button {
  justify-self: start;
}
</style>
