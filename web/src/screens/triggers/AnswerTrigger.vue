<script setup lang="ts">
import FormLine from '../../parts/FormLine.vue'
import FormulaInput from '../../parts/FormulaInput.vue'
import type { TriggerProps } from '../../registries/triggers'

/** The settings of the trigger of a form's answers. */
defineProps<TriggerProps<'answer'>>()
</script>

<template>
  <FormLine class="wide" label="Condition" about="Blank for every answer. Earlier answers start nothing.">
    <FormulaInput
      :model-value="trigger.condition"
      :sheet="bench.sheet_id ?? undefined"
      label="Condition of the trigger"
      @update:model-value="(text: string) => change((t) => (t.condition = text), true)"
    />
  </FormLine>
</template>
