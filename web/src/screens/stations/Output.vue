<script setup lang="ts">
import type { Bench } from '../../api/bench'
import type { Schemas } from '../../api/client'
import { count } from '../../api/words'

defineProps<{
  bench: Bench
  page: Schemas['PageView'] | undefined
  change: (work: (bench: Bench) => void, soon?: boolean) => void
}>()
type Standard = Schemas['PdfSetup']['standard']
type Attach = Schemas['PdfSetup']['attach']
const standards: [Standard, string][] = [
  ['plain', 'Standard PDF'],
  ['a2b', 'PDF/A-2b (archiving)'],
  ['a3b', 'PDF/A-3b (archiving, with attachments)'],
  ['ua1', 'PDF/UA-1 (accessible)'],
]
const locales = [
  ['en-GB', 'English (UK): 1,234.50, 30 Sept 2026'],
  ['en-US', 'English (US): 1,234.50, Sep 30, 2026'],
  ['de-DE', 'German: 1.234,50, 30.09.2026'],
  ['fr-FR', 'French: 1 234,50, 30 sept. 2026'],
  ['nl-NL', 'Dutch: 1.234,50, 30 sep 2026'],
]
</script>

<template>
  <h2>Output</h2>
  <p>Output format and file name.</p>
  <div class="field">
    <span>Documents</span>
    <el-radio-group
      :model-value="bench.setup.joint"
      @change="(v) => change((b) => (b.setup.joint = Boolean(v)))"
    >
      <el-radio :value="false">One per record</el-radio>
      <el-radio :value="true">One for all {{ count(bench.records.length, 'record') }}</el-radio>
    </el-radio-group>
    <span v-if="bench.setup.joint" class="quiet"
      >The template must repeat over the records:
      <span class="code">[:repeat for records] … [:end]</span></span
    >
  </div>
  <div class="field">
    <span>Format</span>
    <el-radio-group
      :model-value="bench.setup.output"
      @change="(v) => change((b) => (b.setup.output = String(v)))"
    >
      <el-radio value="pdf">PDF</el-radio><el-radio value="docx">DOCX</el-radio
      ><el-radio value="both">Both</el-radio>
    </el-radio-group>
  </div>
  <template v-if="bench.setup.output !== 'docx'">
    <div class="field">
      <span>PDF standard</span>
      <el-select
        :model-value="bench.setup.pdf.standard"
        aria-label="PDF standard"
        @change="(v: Standard) => change((b) => (b.setup.pdf.standard = v))"
      >
        <el-option v-for="[kind, label] in standards" :key="kind" :value="kind" :label="label" />
      </el-select>
    </div>
    <div class="field">
      <span>Attach record data</span>
      <el-radio-group
        :model-value="bench.setup.pdf.attach"
        @change="(v) => change((b) => (b.setup.pdf.attach = v as Attach))"
      >
        <el-radio value="nothing">No</el-radio><el-radio value="json">as JSON</el-radio
        ><el-radio value="csv">as CSV</el-radio>
      </el-radio-group>
    </div>
    <label class="field"
      ><span>Open password (placeholders allowed)</span>
      <el-input
        class="code"
        placeholder="e.g. [: ref]"
        :model-value="bench.setup.pdf.password"
        @update:model-value="(text: string) => change((b) => (b.setup.pdf.password = text), true)"
      />
    </label>
  </template>
  <label class="field"
    ><span>File name (placeholders allowed)</span>
    <el-input
      class="code"
      :model-value="bench.setup.name"
      @update:model-value="(text: string) => change((b) => (b.setup.name = text), true)"
    />
    <span v-if="page?.file_name" class="quiet"
      >{{ bench.setup.joint ? 'Now' : 'For this record' }}: {{ page.file_name }}</span
    >
  </label>
  <div class="field">
    <span>Language and number format</span>
    <el-select
      :model-value="bench.setup.locale"
      aria-label="Language"
      @change="(v: string) => change((b) => (b.setup.locale = v))"
    >
      <el-option v-for="[tag, label] in locales" :key="tag" :value="tag ?? ''" :label="label ?? ''" />
    </el-select>
  </div>
  <div class="field">
    <span>Language column</span>
    <el-select
      :model-value="bench.setup.locale_column || undefined"
      clearable
      filterable
      placeholder="None (same for all records)"
      aria-label="Language column"
      @change="(v: string | undefined) => change((b) => (b.setup.locale_column = v ?? ''))"
    >
      <el-option
        v-for="column in bench.columns.filter((c) => c.type === 'text')"
        :key="column.name"
        :value="column.name"
        :label="column.name"
      />
    </el-select>
    <span v-if="bench.setup.locale_column" class="quiet"
      >Language tags such as nl-NL. If blank, the language above is used.</span
    >
  </div>
  <p
    v-for="obstacle in bench.obstacles.filter((o) => o.station === 'output')"
    :key="obstacle.message"
    class="problem"
  >
    {{ obstacle.message }}
  </p>
</template>
