<script setup lang="ts">
import { useDebounceFn, useStorage } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute } from 'vue-router'

import { api, ask, attempt, Refusal, type Schemas } from '../../api/client'
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
const row = ref(1)
const label = ref('')
const open = ref<string[]>([])
const rows = computed(() => sheet.value?.rows ?? 0)
const problem = ref('')
const faults = ref<Schemas['Fault'][]>([])
const name = ref('')
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

async function take(at: number) {
  if (!sheet.value || at < 1) return
  const params = { path: { id: props.version.id }, query: { sheet: sheet.value.id, row: at } }
  const found = await attempt(() => ask(api.GET('/api/versions/{id}/values', { params })))
  if (!found) return
  row.value = at
  label.value = found.label
  open.value = found.open
  values.value = found.values
  if (!name.value || name.value.startsWith('Like ')) name.value = `Like ${found.label}`
}
const step = (by: number) => take(((row.value - 1 + by + rows.value) % rows.value) + 1)

function from(id: number) {
  choose(id)
  void take(1)
}

function use(specimen: Schemas['SpecimenInfo']) {
  values.value = specimen.values as Values
  locale.value = specimen.locale
  moment.value = specimen.moment.slice(0, 10)
  name.value = specimen.name
  label.value = ''
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
  ElMessage({ message: `“${kept.name}” is kept as a specimen with version ${kept.version}’s text.` })
  emit('kept')
}

onMounted(() => {
  const wanted = Number(route.query.row)
  const specimen = props.specimens.find((s) => s.id === Number(route.query.specimen))
  if (specimen) use(specimen)
  else if (route.query.sheet && wanted) {
    choose(Number(route.query.sheet))
    watch(sheet, () => void take(wanted), { once: true })
  } else if (Object.keys(values.value).length) void tryOut()
  // Nothing was typed yet: the likeliest source's first record is a start.
  else watch(sheet, (found) => (found?.fits ? void take(1) : void tryOut()), { once: true })
})
</script>

<template>
  <div class="from">
    <el-select
      :model-value="sheet?.id"
      aria-label="Source of the record"
      placeholder="Take a record of…"
      @change="from"
    >
      <el-option v-for="one in sheets" :key="one.id" :value="one.id" :label="one.label" />
    </el-select>
    <template v-if="rows">
      <el-button aria-label="Record before" @click="step(-1)">←</el-button>
      <el-button aria-label="Next record" @click="step(1)">→</el-button>
      <span class="label" :title="label"
        >row {{ row }} of {{ rows }}<template v-if="label">, {{ label }}</template></span
      >
    </template>
    <span class="push" />
    <el-button @click="values = {}">Clear</el-button>
  </div>
  <div class="from">
    <label class="quiet"
      >Print by
      <el-select v-model="locale" aria-label="Locale" class="short">
        <el-option v-for="one in LOCALES" :key="one" :value="one" :label="one" /> </el-select
    ></label>
    <label class="quiet"
      >On the day <el-input v-model="moment" class="short" placeholder="today" aria-label="Day"
    /></label>
  </div>
  <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  <div v-if="faults.length" role="alert">
    <ul class="faults">
      <li v-for="(fault, index) in faults" :key="index">
        <span class="code name">{{ fault.placeholder }}</span> {{ fault.message }}
      </li>
    </ul>
  </div>
  <p v-if="open.length" class="quiet">The source has no column for: {{ open.join(', ') }}</p>
  <ValueForm
    v-if="template.needs.length"
    :needs="template.needs"
    :values="values"
    @change="values = $event"
  />
  <p v-else class="quiet">The template needs no fields.</p>
  <form class="keep" @submit.prevent="keep">
    <el-input
      v-model="name"
      aria-label="Name of the specimen"
      placeholder="Name, for instance Blank mobile"
    />
    <el-button native-type="submit" :disabled="!name.trim() || !!faults.length">Keep as specimen</el-button>
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
