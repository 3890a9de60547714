<script setup lang="ts">
import type { Bench } from '../api/bench'

/** What a pack asks before it is made, and the answers. */
const props = defineProps<{
  bench: Bench
  change: (work: (bench: Bench) => void, soon?: boolean) => void
}>()
const given = (about: string, usual: string) => props.bench.setup.answers[about] ?? usual
const answer = (about: string, value: string) =>
  props.change((bench) => (bench.setup.answers = { ...bench.setup.answers, [about]: value }))
</script>

<template>
  <template v-if="bench.questions.length">
    <h3>Parts to choose</h3>
    <p class="quiet">Applies to all documents of the next run.</p>
    <div v-for="one in bench.questions" :key="one.about" class="field">
      <span>{{ one.about }}</span>
      <el-select
        :model-value="given(one.about, one.usual)"
        :aria-label="one.about"
        @change="(value: string) => answer(one.about, value)"
      >
        <template v-if="one.choices.length">
          <el-option v-for="choice in one.choices" :key="choice" :value="choice" :label="choice" />
        </template>
        <template v-else>
          <el-option value="yes" label="Included" />
          <el-option value="no" label="Left out" />
        </template>
      </el-select>
    </div>
  </template>
</template>

<style scoped>
h3 {
  margin: 20px 0 6px;
}
</style>
