<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import type { Bench } from '../../api/bench'
import { api, ask, attempt, type Schemas, upload } from '../../api/client'
import { said, stationOf } from '../../api/diagnostics'
import { count } from '../../api/words'
import FilePick from '../../parts/FilePick.vue'
import PackQuestions from '../../parts/PackQuestions.vue'
import TemplateRules from '../../parts/TemplateRules.vue'

const props = defineProps<{
  bench: Bench
  change: (work: (bench: Bench) => void, soon?: boolean) => void
}>()
const templates = ref<Schemas['TemplateInfo'][]>([])
const load = () => attempt(async () => (templates.value = await ask(api.GET('/api/templates'))))
onMounted(load)
const chosen = computed(() => templates.value.find((t) => t.id === props.bench.template_id))

const answer = (about: string, value: string) =>
  props.change((b) => (b.setup.answers = { ...b.setup.answers, [about]: value }))

async function take(files: File[]) {
  const made = await attempt(() => ask(api.POST('/api/templates', upload(files))))
  if (!made) return
  await load()
  props.change((b) => (b.template_id = made.id))
}
</script>

<template>
  <h2>Template</h2>
  <p>The document that is filled for each record.</p>
  <div class="field">
    <span>Template</span>
    <el-select
      :model-value="bench.template_id ?? undefined"
      placeholder="Choose a template"
      aria-label="Template"
      @change="(id: number) => change((b) => ((b.template_id = id), (b.setup.version = null)))"
    >
      <el-option v-for="one in templates" :key="one.id" :value="one.id" :label="one.name" />
    </el-select>
  </div>
  <div v-if="chosen" class="field">
    <span>Version</span>
    <el-select
      :model-value="bench.setup.version ?? 0"
      aria-label="Version of the template"
      @change="(number: number) => change((b) => (b.setup.version = number || null))"
    >
      <el-option :value="0" :label="`Version in use (now ${chosen.in_use})`" />
      <el-option
        v-for="one in chosen.versions"
        :key="one.id"
        :value="one.number"
        :label="`Fixed: version ${one.number}${one.note ? `, ${one.note}` : ''}`"
      />
    </el-select>
  </div>
  <FilePick label="Upload template" accept=".docx" @files="take" />
  <p v-if="bench.template_problems" class="problem">
    This version has {{ count(bench.template_problems, 'problem') }}.
    <RouterLink :to="`/templates/${bench.template_id}`">Show problems</RouterLink>
  </p>
  <p v-else-if="bench.template_id">
    <RouterLink :to="`/templates/${bench.template_id}`">Open template</RouterLink>
  </p>
  <p
    v-for="obstacle in bench.obstacles.filter(
      (o) => o.code !== 'template-problems' && stationOf(o) === 'template',
    )"
    :key="said(obstacle)"
    class="problem"
  >
    {{ said(obstacle) }}
  </p>
  <template v-if="bench.questions.length">
    <h3 class="asked">Parts to choose</h3>
    <p class="quiet">Applies to all documents of the next run.</p>
    <PackQuestions :questions="bench.questions" :answers="bench.setup.answers" @answer="answer" />
  </template>
  <TemplateRules v-if="bench.template_id" :bench="bench" :templates="templates" :change="change" />
</template>

<style scoped>
.asked {
  margin: 20px 0 6px;
}
</style>
