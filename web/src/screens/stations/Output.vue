<script setup lang="ts">
import { computed } from 'vue'

import type { Bench } from '../../api/bench'
import type { Schemas } from '../../api/client'
import { said, stationOf } from '../../api/diagnostics'
import { count } from '../../api/words'
import FormLine from '../../parts/FormLine.vue'
import RunningList from '../../parts/RunningList.vue'
import Group from '../../parts/Group.vue'

const props = defineProps<{
  bench: Bench
  page: Schemas['PageView'] | undefined
  change: (work: (bench: Bench) => void, soon?: boolean) => void
}>()
type Standard = Schemas['PdfSetup']['standard']
type Attach = Schemas['PdfSetup']['attach']
type Format = Schemas['Format']
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

/** What is set of the options that are folded away. */
const says = computed(() => {
  const { standard, attach, password } = props.bench.setup.pdf
  const data = { nothing: 'no data attached', json: 'data attached as JSON', csv: 'data attached as CSV' }
  const name = standards.find(([kind]) => kind === standard)?.[1] ?? standard
  return `${name}, ${data[attach]}, ${password ? 'with a password' : 'no password'}`
})
const kept = computed(() => {
  const { retention, monthly_limit } = props.bench.setup
  const limit = monthly_limit ? `${count(monthly_limit, 'document')} a month` : 'no limit'
  return `${retention ? `removed after ${count(retention, 'month')}` : 'never removed'}, ${limit}`
})
</script>

<template>
  <h2>Output</h2>
  <Group title="Documents">
    <FormLine
      group
      label="Number of documents"
      :about="
        bench.setup.joint ? 'The template must repeat over the records: [:repeat for records] … [:end]' : ''
      "
    >
      <el-radio-group
        :model-value="bench.setup.joint"
        aria-label="Number of documents"
        @change="(v) => change((b) => (b.setup.joint = Boolean(v)))"
      >
        <el-radio :value="false">One per record</el-radio>
        <el-radio :value="true">One for all {{ count(bench.records.length, 'record') }}</el-radio>
      </el-radio-group>
    </FormLine>
    <FormLine group label="Formats">
      <el-checkbox-group
        :model-value="bench.setup.formats"
        :min="1"
        aria-label="Formats"
        @change="(v) => change((b) => (b.setup.formats = v as Format[]))"
      >
        <el-checkbox value="pdf">PDF</el-checkbox><el-checkbox value="docx">DOCX</el-checkbox>
      </el-checkbox-group>
    </FormLine>
    <FormLine
      class="wide"
      label="File name"
      :about="
        page?.file_name
          ? `${bench.setup.joint ? 'Now' : 'For this record'}: ${page.file_name}`
          : 'Placeholders are allowed.'
      "
    >
      <el-input
        class="code"
        :model-value="bench.setup.name"
        @update:model-value="(text: string) => change((b) => (b.setup.name = text), true)"
      />
    </FormLine>
    <FormLine
      v-if="bench.setup.formats.includes('pdf')"
      class="wide"
      label="Running document"
      about='Each PDF is also added to the document of this name. Blank for none. Example: Log [: today as date "yyyy"]'
    >
      <el-input
        class="code"
        :model-value="bench.setup.running"
        placeholder="None"
        @update:model-value="(text: string) => change((b) => (b.setup.running = text), true)"
      />
    </FormLine>
    <RunningList v-if="bench.setup.running" :dispatch="bench.key" />
  </Group>
  <Group title="Language and numbers">
    <FormLine label="Language" about="How dates, numbers and amounts are written.">
      <el-select
        :model-value="bench.setup.locale"
        aria-label="Language"
        @change="(v: string) => change((b) => (b.setup.locale = v))"
      >
        <el-option v-for="[tag, label] in locales" :key="tag" :value="tag ?? ''" :label="label ?? ''" />
      </el-select>
    </FormLine>
    <FormLine
      label="Language column"
      about="Language tags such as nl-NL. If blank, the dispatch’s language is used."
    >
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
    </FormLine>
  </Group>
  <Group v-if="bench.setup.formats.includes('pdf')" title="PDF options" :says="says" fold>
    <FormLine label="PDF standard">
      <el-select
        :model-value="bench.setup.pdf.standard"
        aria-label="PDF standard"
        @change="(v: Standard) => change((b) => (b.setup.pdf.standard = v))"
      >
        <el-option v-for="[kind, label] in standards" :key="kind" :value="kind" :label="label" />
      </el-select>
    </FormLine>
    <FormLine group label="Attach record data">
      <el-radio-group
        :model-value="bench.setup.pdf.attach"
        aria-label="Attach record data"
        @change="(v) => change((b) => (b.setup.pdf.attach = v as Attach))"
      >
        <el-radio value="nothing">No</el-radio><el-radio value="json">As JSON</el-radio
        ><el-radio value="csv">As CSV</el-radio>
      </el-radio-group>
    </FormLine>
    <FormLine
      label="Open password"
      about="Asked for when the PDF is opened. Placeholders are allowed, e.g. [: ref]"
    >
      <el-input
        class="code"
        :model-value="bench.setup.pdf.password"
        @update:model-value="(text: string) => change((b) => (b.setup.pdf.password = text), true)"
      />
    </FormLine>
  </Group>
  <Group
    title="Single records"
    :says="bench.setup.without_questions ? 'without questions' : 'with questions'"
    fold
  >
    <FormLine
      group
      class="wide"
      label="From a record’s own page"
      about="Create and send uses the usual answers, signers and sender. You are asked only before a second document."
    >
      <el-checkbox
        :model-value="bench.setup.without_questions"
        @change="(on) => change((b) => (b.setup.without_questions = on === true))"
        >Create and send without questions</el-checkbox
      >
    </FormLine>
  </Group>
  <Group title="Retention and limit" :says="kept" fold>
    <FormLine
      label="Remove documents after (months)"
      about="Files, values and recipients are removed; that they were sent stays. Blank: never."
    >
      <el-input-number
        :model-value="bench.setup.retention ?? undefined"
        :min="1"
        :max="1200"
        :controls="false"
        @change="(v: number | undefined) => change((b) => (b.setup.retention = v ?? null))"
      />
    </FormLine>
    <FormLine label="Documents per month" about="Preflight warns when a run goes beyond. Blank: no limit.">
      <el-input-number
        :model-value="bench.setup.monthly_limit ?? undefined"
        :min="1"
        :max="100000000"
        :controls="false"
        @change="(v: number | undefined) => change((b) => (b.setup.monthly_limit = v ?? null))"
      />
    </FormLine>
  </Group>
  <p
    v-for="obstacle in bench.obstacles.filter((o) => stationOf(o) === 'output')"
    :key="said(obstacle)"
    class="problem"
  >
    {{ said(obstacle) }}
  </p>
</template>
