<script setup lang="ts">
import FormLine from '../../parts/FormLine.vue'
import type { TriggerProps } from '../../registries/triggers'

/** The settings of the trigger of API calls. */
defineProps<TriggerProps<'call'>>()
</script>

<template>
  <FormLine group label="Records sent before">
    <el-radio-group
      :model-value="trigger.again"
      aria-label="Records sent before"
      @change="(again) => change((t) => (t.again = again === true))"
    >
      <el-radio :value="false">Skip</el-radio><el-radio :value="true">Send again</el-radio>
    </el-radio-group>
  </FormLine>
  <p class="wide quiet">
    <span class="code">POST /api/dispatches/{{ bench.key }}/firings</span> with a header
    <span class="code">Idempotency-Key</span> and a body <span class="code">{"rows": [3, 7]}</span>, or
    <span class="code">{}</span> for all. The same key starts one run.
  </p>
</template>
