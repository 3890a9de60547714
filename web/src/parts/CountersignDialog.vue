<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { count } from '../api/words'
import SignatureInput from '../sign/SignatureInput.vue'
import { wordsOf } from '../sign/words'
import PdfPages from './PdfPages.vue'

/** One signature for several documents, after a look at each, with one confirmation. */
const props = defineProps<{ rounds: Schemas['RoundInfo'][]; name: string }>()
const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ done: [] }>()

const words = wordsOf('en')
const at = ref(0)
const signature = ref({ typed: '', picture: '' })
const busy = ref(false)
const now = computed(() => props.rounds[at.value])
watch(open, () => (at.value = 0))

async function sign() {
  busy.value = true
  const body = { rounds: props.rounds.map((one) => one.id), signature: signature.value }
  const acted = await attempt(() => ask(api.POST('/api/rounds/countersign', { body })))
  busy.value = false
  if (!acted) return
  const refused = acted.refused.map(([, why]) => why)
  if (refused.length) {
    const text = `${count(refused.length, 'document')} not signed: ${refused[0] ?? ''}`
    ElMessage({ message: text, type: 'error' })
  }
  if (acted.done) ElMessage({ message: `${count(acted.done, 'document')} signed` })
  open.value = false
  emit('done')
}
</script>

<template>
  <el-dialog v-model="open" :title="`Sign ${count(rounds.length, 'document')}`" width="940px" top="4vh">
    <div class="both">
      <div class="look">
        <p class="bar">
          <el-button :disabled="at === 0" aria-label="Previous document" @click="at--">‹</el-button>
          <b>{{ now?.title }}</b> <span class="quiet">{{ at + 1 }} of {{ rounds.length }}</span>
          <el-button :disabled="at + 1 >= rounds.length" aria-label="Next document" @click="at++"
            >›</el-button
          >
        </p>
        <PdfPages
          v-if="now && open"
          :key="now.id"
          class="pages-here"
          :address="`/api/rounds/${now.id}/document`"
          :name="now.title"
        />
      </div>
      <div class="own countersign">
        <SignatureInput id="own" v-model="signature" label="Your signature" :start="name" :words="words" />
        <p class="quiet">
          It is placed on {{ count(rounds.length, 'document') }}. By signing you agree to sign electronically.
        </p>
        <el-button
          type="primary"
          :loading="busy"
          :disabled="!signature.typed.trim() && !signature.picture"
          @click="sign"
          >Sign {{ count(rounds.length, 'document') }}</el-button
        >
      </div>
    </div>
  </el-dialog>
</template>

<style scoped>
.both {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 20px;
}
.bar {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 0 0 8px;
}
.bar span {
  flex: 1;
}
.pages-here {
  height: 62vh;
}
.countersign :deep(fieldset) {
  border: 0;
  padding: 0;
  margin: 0;
}
.countersign :deep(.ways) {
  display: flex;
  gap: 12px;
  margin: 6px 0;
}
.countersign :deep(.hand) {
  width: 100%;
  font:
    italic 22px/1.3 'Liberation Serif',
    'Times New Roman',
    serif;
}
.countersign :deep(.pad) {
  width: 100%;
  height: 120px;
  background: #fff;
  border: 1px solid var(--line);
}
</style>
