<script setup lang="ts">
import { useDebounceFn, useStorage } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute } from 'vue-router'

import { api, ask, attempt, Refusal, type Schemas } from '../../api/client'
import { type Diagnostic, said } from '../../api/diagnostics'
import { useSheets } from '../../api/design'
import ValueForm, { type Values } from '../../parts/ValueForm.vue'

/** Values by hand or of a record, and what the template makes of them. */
const props = defineProps<{
  template: Schemas['TemplateDetail']
  version: Schemas['Version']
  specimens: Schemas['SpecimenInfo'][]
}>()
const emit = defineEmits<{ tried: [Schemas['Tryout'] | undefined]; kept: [] }>()
const route = useRoute()
const { sheets, sheet, choose } = useSheets(props.template)

// What was typed stays while the person looks elsewhere.
const key = `template-${props.template.id}`
const values = useStorage<Values>(`${key}-values`, {}, sessionStorage)
const locale = useStorage(`${key}-locale`, 'en-GB')
const moment = ref('')
const record = ref<Schemas['RecordValues']>()
const open = ref<string[]>([])
const rows = computed(() => sheet.value?.rows ?? 0)
/** The record that the values were taken from, and those values: while they are as
    they were taken, the record is asked for anew. */
interface Taken {
  sheet: number
  row: number
  values: string
}
const from = useStorage<Taken | null>(`${key}-from`, null, sessionStorage, {
  serializer: {
    read: (text: string): Taken | null => JSON.parse(text) as Taken | null,
    write: JSON.stringify,
  },
})
const untouched = computed(() => from.value?.values === JSON.stringify(values.value))
const label = computed(() => (untouched.value ? (record.value?.label ?? '') : ''))
const problem = ref('')
const faults = ref<Diagnostic[]>([])
const name = ref('')
let named = ''
const LOCALES = ['en-GB', 'en-US', 'de-DE', 'fr-FR', 'nl-NL']

let asked = 0
const tryOut = useDebounceFn(async () => {
  const mine = ++asked
  const body = { values: values.value, locale: locale.value, moment: moment.value || null }
  try {
    const params = { path: { id: props.version.id } }
    const made = await ask(api.POST('/api/versions/{id}/try', { params, body }))
    if (mine !== asked) return
    problem.value = ''
    faults.value = made.faults
    emit('tried', made)
  } catch (error) {
    if (mine !== asked) return
    problem.value = error instanceof Refusal ? error.message : String(error)
  }
}, 200)
watch([values, locale, moment, () => props.version.id], () => void tryOut(), { deep: true })

async function take(number?: number) {
  if (!sheet.value) return
  const query = { sheet: sheet.value.id, ...(number === undefined ? {} : { row: number }) }
  const params = { path: { id: props.version.id }, query }
  const found = await attempt(() => ask(api.GET('/api/versions/{id}/values', { params })))
  if (!found) return
  record.value = found
  open.value = found.open
  values.value = found.values
  from.value = { sheet: query.sheet, row: found.row, values: JSON.stringify(found.values) }
  // The name follows the record until it is given by hand.
  if (!name.value || name.value === named) name.value = named = found.label
}

function fromSheet(id: number) {
  choose(id)
  void take()
}

function use(specimen: Schemas['SpecimenInfo']) {
  values.value = specimen.values as Values
  locale.value = specimen.locale
  moment.value = specimen.moment.slice(0, 10)
  name.value = specimen.name
  record.value = undefined
  from.value = null
  open.value = []
}

async function keep() {
  const body = {
    name: name.value,
    version: props.version.number,
    values: values.value,
    locale: locale.value,
    moment: moment.value || null,
  }
  const params = { path: { id: props.template.id } }
  const kept = await attempt(() => ask(api.POST('/api/templates/{id}/specimens', { params, body })))
  if (!kept) return
  ElMessage({ message: `“${kept.name}” saved as a test case with the text of version ${kept.version}` })
  emit('kept')
}

onMounted(() => {
  const wanted = Number(route.query.row)
  const specimen = props.specimens.find((s) => s.id === Number(route.query.specimen))
  if (specimen) use(specimen)
  else if (route.query.sheet && wanted) {
    choose(Number(route.query.sheet))
    watch(sheet, () => void take(wanted), { once: true })
  } else if (from.value && untouched.value) {
    const { sheet: id, row } = from.value
    choose(id)
    watch(sheet, (found) => (found ? void take(row) : void tryOut()), { once: true })
  } else if (Object.keys(values.value).length) void tryOut()
  // Nothing was typed yet: the likeliest source's first record is a start.
  else watch(sheet, (found) => (found?.fits ? void take() : void tryOut()), { once: true })
})
</script>

<template>
  <div class="from">
    <el-select
      :model-value="sheet?.id"
      aria-label="Source of the record"
      placeholder="Choose a source…"
      @change="fromSheet"
    >
      <el-option v-for="one in sheets" :key="one.id" :value="one.id" :label="one.label" />
    </el-select>
    <template v-if="rows">
      <el-button aria-label="Previous record" @click="take(record?.before)">←</el-button>
      <el-button aria-label="Next record" @click="take(record?.next)">→</el-button>
      <span class="label" :title="label"
        ><template v-if="label">{{ record?.place }} of {{ rows }}, {{ label }}</template
        ><template v-else>values by hand</template></span
      >
    </template>
    <span class="push" />
    <el-button @click="values = {}">Clear</el-button>
  </div>
  <div class="from">
    <label class="quiet"
      >Locale
      <el-select v-model="locale" aria-label="Locale" class="short">
        <el-option v-for="one in LOCALES" :key="one" :value="one" :label="one" /> </el-select
    ></label>
    <label class="quiet"
      >Date <el-input v-model="moment" class="short" placeholder="today" aria-label="Date"
    /></label>
  </div>
  <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  <div v-if="faults.length" role="alert">
    <ul class="faults">
      <li v-for="(fault, index) in faults" :key="index">
        <span class="code name">{{ fault.source }}</span> {{ said(fault) }}
      </li>
    </ul>
  </div>
  <p v-if="open.length" class="quiet">No column in this source for: {{ open.join(', ') }}</p>
  <ValueForm
    v-if="template.needs.length"
    :needs="template.needs"
    :values="values"
    @change="values = $event"
  />
  <p v-else class="quiet">This template has no fields.</p>
  <form class="keep" @submit.prevent="keep">
    <el-input v-model="name" aria-label="Test case name" placeholder="Name, e.g. Blank mobile" />
    <el-button native-type="submit" :disabled="!name.trim() || !!faults.length">Save as test case</el-button>
  </form>
</template>

<style scoped>
.from {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-bottom: 8px;
}
.from .el-select {
  width: 200px;
  flex: none;
}
.from .short {
  width: 110px;
  margin: 0 12px 0 4px;
}
.from .el-button {
  padding: 0 8px;
}
.label {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-width: 0;
}
.keep {
  display: flex;
  gap: 8px;
  margin-top: 16px;
  padding-top: 12px;
  border-top: 1px solid var(--line);
}
</style>
