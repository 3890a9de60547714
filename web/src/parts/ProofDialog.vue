<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import type { Bench } from '../api/bench'
import { api, ask, attempt } from '../api/client'
import { count } from '../api/words'

/** Proofs of chosen records, to the person's own address and nowhere else. */
const props = defineProps<{ bench: Bench; at: number }>()
const open = defineModel<boolean>({ required: true })
const router = useRouter()
const which = ref<'this' | 'first' | 'rows'>('this')
const typed = ref('')
const to = ref('')
watch(open, (now) => now && (to.value ||= props.bench.person_email))

const proofs = computed(() => (props.bench.setup.joint ? Math.min(1, rows.value.length) : rows.value.length))
const rows = computed(() => {
  const records = props.bench.records
  if (which.value === 'this') return records.slice(props.at, props.at + 1).map((r) => r.row)
  if (which.value === 'first') return records.slice(0, 3).map((r) => r.row)
  return typed.value.split(/\D+/).filter(Boolean).map(Number).slice(0, 50)
})

async function send() {
  const params = { path: { key: props.bench.key } }
  const run = await attempt(() =>
    ask(api.POST('/api/dispatches/{key}/proofs', { params, body: { rows: rows.value, to: to.value } })),
  )
  if (!run) return
  open.value = false
  await router.push(`/runs/${run.id}`)
}
</script>

<template>
  <el-dialog v-model="open" title="Send proofs to me" width="460">
    <p>Each page is marked PROOF. Only you receive the proofs.</p>
    <el-radio-group v-model="which">
      <el-radio value="this">This record: {{ bench.records[at]?.label }}</el-radio>
      <el-radio value="first">The first {{ Math.min(3, bench.records.length) }} records</el-radio>
      <el-radio value="rows">These rows:</el-radio>
    </el-radio-group>
    <el-input v-if="which === 'rows'" v-model="typed" aria-label="Row numbers" placeholder="3, 17, 31" />
    <label class="field"><span>Your e-mail address</span><el-input v-model="to" /></label>
    <template #footer>
      <el-button @click="open = false">Cancel</el-button>
      <el-button type="primary" :disabled="!rows.length || !to" @click="send"
        >Send {{ count(proofs, 'proof')
        }}{{ bench.setup.joint ? ` for ${count(rows.length, 'record')}` : '' }}</el-button
      >
    </template>
  </el-dialog>
</template>

<style scoped>
.el-radio-group {
  display: grid;
  justify-items: start;
  margin-bottom: 8px;
}
.field {
  margin-top: 12px;
}
</style>
