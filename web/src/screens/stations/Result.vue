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
  ['plain', 'reading and printing'],
  ['a2b', 'archives: PDF/A-2b'],
  ['a3b', 'archives, with attachments: PDF/A-3b'],
  ['ua1', 'reading aloud: PDF/UA-1'],
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
  <h2>Result</h2>
  <p>What is made of the records, and what its file is called.</p>
  <div class="field">
    <span>One document</span>
    <el-radio-group
      :model-value="bench.setup.joint"
      @change="(v) => change((b) => (b.setup.joint = Boolean(v)))"
    >
      <el-radio :value="false">of each record</el-radio>
      <el-radio :value="true">of all {{ count(bench.records.length, 'record') }} together</el-radio>
    </el-radio-group>
    <span v-if="bench.setup.joint" class="quiet"
      >the template repeats what it holds of each:
      <span class="code">[:repeat for records] … [:end]</span></span
    >
  </div>
  <div class="field">
    <span>Make</span>
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
      <span>PDF for</span>
      <el-select
        :model-value="bench.setup.pdf.standard"
        aria-label="Kind of PDF"
        @change="(v: Standard) => change((b) => (b.setup.pdf.standard = v))"
      >
        <el-option v-for="[kind, label] in standards" :key="kind" :value="kind" :label="label" />
      </el-select>
    </div>
    <div class="field">
      <span>Attach the record’s data</span>
      <el-radio-group
        :model-value="bench.setup.pdf.attach"
        @change="(v) => change((b) => (b.setup.pdf.attach = v as Attach))"
      >
        <el-radio value="nothing">No</el-radio><el-radio value="json">as JSON</el-radio
        ><el-radio value="csv">as CSV</el-radio>
      </el-radio-group>
    </div>
    <label class="field"
      ><span>Password that opens it, with placeholders; none if blank</span>
      <el-input
        class="code"
        placeholder="for instance [: ref]"
        :model-value="bench.setup.pdf.password"
        @update:model-value="(text: string) => change((b) => (b.setup.pdf.password = text), true)"
      />
    </label>
  </template>
  <label class="field"
    ><span>File name, with placeholders</span>
    <el-input
      class="code"
      :model-value="bench.setup.name"
      @update:model-value="(text: string) => change((b) => (b.setup.name = text), true)"
    />
    <span v-if="page?.file_name" class="quiet"
      >{{ bench.setup.joint ? 'here' : 'for this record' }}: {{ page.file_name }}</span
    >
  </label>
  <div class="field">
    <span>Numbers and dates read as in</span>
    <el-select
      :model-value="bench.setup.locale"
      aria-label="Language"
      @change="(v: string) => change((b) => (b.setup.locale = v))"
    >
      <el-option v-for="[tag, label] in locales" :key="tag" :value="tag ?? ''" :label="label ?? ''" />
    </el-select>
  </div>
  <div class="field">
    <span>or as each record says, in the column</span>
    <el-select
      :model-value="bench.setup.locale_column || undefined"
      clearable
      filterable
      placeholder="no column: the same for all"
      aria-label="Column of the language"
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
      >a tag such as nl-NL; a record without one takes the language above</span
    >
  </div>
  <p
    v-for="obstacle in bench.obstacles.filter((o) => o.station === 'result')"
    :key="obstacle.message"
    class="problem"
  >
    {{ obstacle.message }}
  </p>
</template>
