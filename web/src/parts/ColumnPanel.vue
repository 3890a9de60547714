<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import type { Sheet } from '../api/sheet'
import { officeCurrency } from '../api/currencies'
import { count } from '../api/words'
import ColumnValues from './ColumnValues.vue'
import CurrencyPick from './CurrencyPick.vue'
import FormulaInput from './FormulaInput.vue'

/** A column: its name, what it holds or the formula that fills it, where it stands. */
const props = defineProps<{ it: Sheet; index: number | undefined }>()
const emit = defineEmits<{ close: [] }>()

const info = computed(() => props.it.sheet.value)
const column = computed(() => (props.index === undefined ? undefined : info.value?.columns[props.index]))
const draft = ref<{
  name: string
  kind: string
  currency: string
  formula: string
  locale: string
  computed: boolean
}>()
const sample = ref<Schemas['FormulaSample']>()
const saving = ref(false)
const KINDS = ['text', 'number', 'money', 'percent', 'date', 'time', 'yes/no', 'e-mail']
/** The type of a computed column that nobody chose. */
const OWN = 'formula'
const locales = [
  ['sheet', 'Same as the sheet'],
  ['en-GB', 'English (UK): 1,234.50, 31/12/2026'],
  ['en-US', 'English (US): 1,234.50, 12/31/2026'],
  ['de-DE', 'German: 1.234,50, 31.12.2026'],
  ['fr-FR', 'French: 1 234,50, 31/12/2026'],
  ['nl-NL', 'Dutch: 1.234,50, 31-12-2026'],
] as const

watch(
  () => [props.index, info.value?.id] as const,
  () => {
    const own = column.value
    draft.value = {
      name: own?.name ?? '',
      kind: (own?.formula ? own.chosen : own && own.type !== 'text') ? (own?.type ?? OWN) : OWN,
      currency: own?.currency ?? '',
      formula: own?.formula ?? '',
      locale: own?.locale ?? 'sheet',
      computed: own ? !!own.formula : true,
    }
    sample.value = undefined
    if (own?.formula) void tryIt()
    if (!own?.currency) void officeCurrency().then((code) => draft.value && (draft.value.currency ||= code))
  },
  { immediate: true },
)
const nested = computed(() => ['record', 'list'].includes(column.value?.type ?? ''))

/** The type that was chosen for a computed column, as the server writes it. */
function chosen(): string {
  const own = draft.value
  if (!own || own.kind === OWN) return ''
  return own.kind === 'money' ? `money ${own.currency}` : own.kind
}

async function tryIt() {
  const [id, formula] = [info.value?.id, draft.value?.formula]
  if (!id || !formula?.trim()) return (sample.value = undefined)
  const params = { path: { id } }
  const body = { formula, column: props.index ?? null, type: chosen() }
  sample.value = await attempt(() => ask(api.POST('/api/sheets/{id}/formula', { params, body })))
}
const trySoon = useDebounceFn(tryIt, 250)

function wish(at?: number): Schemas['NewColumn'] {
  const kind = draft.value?.kind ?? OWN
  return {
    name: draft.value?.name ?? '',
    type: kind === OWN ? '' : kind,
    currency: kind === 'money' ? (draft.value?.currency ?? null) : null,
    formula: draft.value?.computed ? (draft.value.formula ?? null) : null,
    locale: draft.value?.locale === 'sheet' ? null : (draft.value?.locale ?? null),
    at: at ?? null,
  }
}

async function keep() {
  saving.value = true
  const done =
    props.index === undefined
      ? await props.it.addColumn(wish())
      : await props.it.setColumn(props.index, wish())
  saving.value = false
  if (done) emit('close')
}

async function place(by: number) {
  if (props.index === undefined || !(await props.it.setColumn(props.index, wish(props.index + by)))) return
  emit('close')
}

async function drop() {
  if (props.index !== undefined && (await props.it.dropColumn(props.index))) emit('close')
}
</script>

<template>
  <form v-if="draft" class="panel-body column" @submit.prevent="keep" @keydown.stop>
    <label class="field-label"
      >Name<el-input v-model="draft.name" aria-label="Name" placeholder="days overdue"
    /></label>
    <template v-if="!nested">
      <el-radio-group v-model="draft.computed">
        <el-radio :value="true">Formula</el-radio>
        <el-radio :value="false">Entered by hand</el-radio>
      </el-radio-group>
      <template v-if="draft.computed">
        <FormulaInput
          v-model="draft.formula"
          above
          :sheet="info?.id"
          label="Formula"
          placeholder="today - due date"
          @input="trySoon"
          @pick="tryIt"
        />
        <p v-if="sample?.problem" class="problem" role="alert">{{ sample.problem }}</p>
        <table v-else-if="sample" class="sample" aria-label="Formula preview">
          <tbody>
            <tr v-for="one in sample.samples" :key="one.row">
              <td class="quiet">{{ one.label }}</td>
              <td :class="{ problem: one.wrong }">{{ one.wrong ?? (one.text || 'blank') }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="sample && !sample.problem" class="quiet">
          Result: {{ sample.type
          }}<template v-if="sample.errors">; {{ count(sample.errors, 'row') }} with errors</template>. Updates
          automatically when its fields change.
        </p>
      </template>
      <label class="field-label"
        >Type<el-select v-model="draft.kind" aria-label="Type" @change="tryIt">
          <el-option :value="OWN" :label="draft.computed ? 'that of the formula' : 'text'" />
          <el-option
            v-for="kind in KINDS.filter((k) => draft?.computed || k !== 'text')"
            :key="kind"
            :value="kind"
            :label="kind"
          /> </el-select
      ></label>
      <label v-if="draft.kind === 'money'" class="field-label"
        >Currency<CurrencyPick v-model="draft.currency" @update:model-value="tryIt"
      /></label>
      <template v-if="!draft.computed">
        <label class="field-label"
          >Number and date format<el-select v-model="draft.locale" aria-label="Number and date format">
            <el-option
              v-for="[value, label] in locales"
              :key="value"
              :value="value"
              :label="label"
            /> </el-select
        ></label>
      </template>
    </template>
    <div class="doing">
      <el-button
        type="primary"
        native-type="submit"
        :loading="saving"
        :disabled="
          !draft.name.trim() || (draft.computed && !nested && (!draft.formula.trim() || !!sample?.problem))
        "
        >{{ index === undefined ? 'Add column' : 'Save column' }}</el-button
      >
      <template v-if="index !== undefined">
        <el-button :disabled="index === 0" @click="place(-1)">Move left</el-button>
        <el-button :disabled="index + 1 >= (info?.columns.length ?? 0)" @click="place(1)"
          >Move right</el-button
        >
        <span class="push" />
        <el-button text @click="drop">Delete column</el-button>
      </template>
    </div>
    <ColumnValues v-if="index !== undefined && !nested" :it="it" :index="index" />
  </form>
</template>
