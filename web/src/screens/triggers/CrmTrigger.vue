<script setup lang="ts">
import { attempt } from '../../api/client'
import FormLine from '../../parts/FormLine.vue'
import FormulaInput from '../../parts/FormulaInput.vue'
import type { TriggerProps } from '../../registries/triggers'

/** The settings of the trigger of changes in the CRM. */
defineProps<TriggerProps<'crm'>>()

/** Blank is none; what is no number is 0, which the trigger tells of. */
const minutes = (text: string) => (text.trim() ? Math.max(0, Math.trunc(Number(text)) || 0) : null)

async function copy(text: string, what: string) {
  await attempt(() => navigator.clipboard.writeText(text))
  ElMessage({ message: `The ${what} is on the clipboard.` })
}
</script>

<template>
  <FormLine
    class="wide"
    label="Condition"
    about='A record gets its document when it comes to meet this. Example: stage = "Won"'
  >
    <FormulaInput
      :model-value="trigger.condition"
      :sheet="bench.sheet_id ?? undefined"
      label="Condition of the trigger"
      @update:model-value="(text: string) => change((t) => (t.condition = text), true)"
    />
  </FormLine>
  <FormLine label="Ask the CRM every, minutes" about="Blank where the CRM tells by web hook.">
    <el-input
      name="minutes"
      inputmode="numeric"
      :model-value="trigger.minutes?.toString() ?? ''"
      @update:model-value="(text: string) => change((t) => (t.minutes = minutes(text)), true)"
    />
  </FormLine>
  <template v-if="info?.hook">
    <FormLine class="wide" label="Web hook" about="Enter it in the CRM: it tells Mangle of each change.">
      <div class="copy">
        <span class="code">{{ info.hook.address }}</span>
        <el-button @click="copy(info?.hook?.address ?? '', 'address')">Copy address</el-button>
        <el-button @click="copy(info?.hook?.secret ?? '', 'secret')">Copy secret</el-button>
      </div>
    </FormLine>
  </template>
</template>

<style scoped>
.copy {
  display: flex;
  align-items: center;
  gap: 8px;
}
.copy .code {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
