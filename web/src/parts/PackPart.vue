<script setup lang="ts">
import { computed, ref } from 'vue'

import { api, ask, attempt, type Schemas, upload } from '../api/client'
import { count } from '../api/words'
import FilePick from './FilePick.vue'
import FixedFields from './FixedFields.vue'
import FormulaInput from './FormulaInput.vue'

/** One part of a pack: its name and title, when it is included, what it is repeated over. */
const props = defineProps<{
  templates: Schemas['TemplateInfo'][]
  sheet: number | undefined
  /** The groups that there are. */
  groups: string[]
}>()
defineEmits<{ remove: [] }>()
const part = defineModel<Schemas['Part']>({ required: true })

/** Whether the signature fields of its PDF are being placed. */
const placing = ref(false)
const busy = ref(false)
/** Takes another PDF; the signature fields stay. */
async function replace([file]: File[]) {
  if (!file) return
  busy.value = true
  const kept = await attempt(() => ask(api.POST('/api/pack-files', upload([file]))))
  busy.value = false
  const [was, now] = [part.value.content, kept?.content]
  if (was.kind === 'pdf' && now?.kind === 'pdf') part.value.content = { ...now, fields: was.fields }
}

type Kind = Schemas['Inclusion']['kind']
const KINDS: [Kind, string][] = [
  ['always', 'Always'],
  ['if', 'If a condition is true'],
  ['ask', 'Ask before the run'],
  ['one-of', 'One of a group'],
]
function include(kind: Kind) {
  const group = props.groups[0] ?? 'Choice'
  part.value.include = {
    always: () => ({ kind: 'always' }) as const,
    if: () => ({ kind: 'if', condition: '' }) as const,
    ask: () => ({ kind: 'ask', usually: false }) as const,
    'one-of': () => ({ kind: 'one-of', group, condition: '' }) as const,
  }[kind]()
}
const own = computed(() => part.value.include)
const content = computed(() => part.value.content)
const versions = computed(() => {
  const { content: what } = part.value
  return what.kind === 'template' ? (props.templates.find((one) => one.id === what.id)?.versions ?? []) : []
})
</script>

<template>
  <div class="part">
    <label class="field">
      <span>Name</span>
      <el-input v-model="part.name" aria-label="Name of the part" />
    </label>
    <label class="field">
      <span>Title</span>
      <el-input v-model="part.title" aria-label="Title of the part" :placeholder="part.name" />
      <small class="quiet">Shown in bookmarks and contents. Placeholders are allowed.</small>
    </label>
    <template v-if="content.kind === 'template'">
      <label class="field">
        <span>Template</span>
        <el-select v-model="content.id" aria-label="Template of the part" @change="content.version = null">
          <el-option v-for="one in templates" :key="one.id" :value="one.id" :label="one.name" />
        </el-select>
      </label>
      <label class="field">
        <span>Version</span>
        <el-select
          :model-value="content.version ?? 0"
          aria-label="Version of the part"
          @change="
            (number: number) => (content.kind === 'template' ? (content.version = number || null) : null)
          "
        >
          <el-option :value="0" label="Version in use" />
          <el-option
            v-for="one in versions"
            :key="one.id"
            :value="one.number"
            :label="`Version ${one.number}`"
          />
        </el-select>
      </label>
    </template>
    <p v-else class="quiet file">{{ content.file_name }}</p>
    <div v-if="content.kind === 'pdf'" class="file">
      <FilePick label="Replace PDF…" accept=".pdf" :busy="busy" @files="replace" />
      <el-button @click="placing = true">Signature fields…</el-button>
      <span class="quiet"> {{ content.fields.length ? count(content.fields.length, 'field') : 'None' }}</span>
      <FixedFields
        v-if="placing"
        v-model="content.fields"
        :file="content.file"
        :name="content.file_name"
        @close="placing = false"
      />
    </div>
    <label class="field">
      <span>Include</span>
      <el-select :model-value="own.kind" aria-label="Include" @change="include">
        <el-option v-for="[kind, label] in KINDS" :key="kind" :value="kind" :label="label" />
      </el-select>
    </label>
    <div v-if="own.kind === 'if'" class="field">
      <span>Condition</span>
      <FormulaInput v-model="own.condition" :sheet="sheet" label="Condition" placeholder="liveaboard" />
    </div>
    <el-checkbox v-else-if="own.kind === 'ask'" v-model="own.usually" label="Included by default" />
    <template v-else-if="own.kind === 'one-of'">
      <label class="field">
        <span>Group</span>
        <el-select v-model="own.group" filterable allow-create default-first-option aria-label="Group">
          <el-option v-for="group in groups" :key="group" :value="group" :label="group" />
        </el-select>
      </label>
      <div class="field">
        <span>Condition</span>
        <FormulaInput
          :model-value="own.condition ?? ''"
          :sheet="sheet"
          label="Condition"
          placeholder="No condition"
          @update:model-value="(text: string) => own.kind === 'one-of' && (own.condition = text)"
        />
        <small class="quiet"
          >The first part with a true condition, else the one without. Without conditions, you choose.</small
        >
      </div>
    </template>
    <div class="field">
      <span>Repeat for</span>
      <FormulaInput v-model="part.repeat" :sheet="sheet" label="Repeat for" placeholder="Not repeated" />
      <small class="quiet">One copy for each record of this list.</small>
    </div>
    <el-button text @click="$emit('remove')">Remove part</el-button>
  </div>
</template>

<style scoped>
.part {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 16px;
  align-items: start;
  padding: 4px 8px 12px 34px;
}
.file {
  display: flex;
  gap: 8px;
  align-items: center;
  grid-column: 1 / -1;
  margin: 0;
}
.el-button {
  justify-self: start;
}
</style>
