<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas, upload } from '../api/client'
import { useLabels } from '../api/labels'
import { day, size } from '../api/words'
import FilePick from '../parts/FilePick.vue'
import LabelFilter from '../parts/LabelFilter.vue'
import NewPack from '../parts/NewPack.vue'
import TemplateMenu from '../parts/TemplateMenu.vue'
import ListFoot, { type FootLine } from '../parts/ListFoot.vue'

const router = useRouter()
const templates = ref<Schemas['TemplateInfo'][]>()
const busy = ref(false)
const dispatches = ref<Schemas['DispatchInfo'][]>([])
const load = () => attempt(async () => (templates.value = await ask(api.GET('/api/templates'))))
onMounted(load)
const labels = useLabels('template')
onMounted(labels.load)
const label = ref('')
const listed = computed(() =>
  templates.value?.filter((one) => !label.value || labels.of(one.id).includes(label.value)),
)
onMounted(() => attempt(async () => (dispatches.value = await ask(api.GET('/api/dispatches')))))

/** A newer version that is not in use yet. */
function draft(template: Schemas['TemplateInfo']): FootLine[] {
  const newest = template.versions[0]
  if (!newest || newest.number <= template.in_use) return []
  const text = newest.note || `uploaded ${day(newest.brought_in)}`
  return [
    { to: `/templates/${template.id}/versions`, name: `${template.name}, version ${newest.number}`, text },
  ]
}
const foot = computed(() => [
  {
    title: 'Drafts',
    none: 'None. A new version stays a draft while it has problems or a test case differs.',
    lines: (templates.value ?? []).flatMap(draft).slice(0, 6),
  },
  {
    title: 'Not used by a dispatch',
    none: 'Every template is used.',
    lines: (templates.value ?? [])
      .filter((template) => !dispatches.value.some((one) => one.template === template.name))
      .slice(0, 6)
      .map((template) => ({
        to: `/templates/${template.id}/try-out`,
        name: template.name,
        text: 'Try it out',
      })),
  },
])

const used = (template: Schemas['TemplateInfo']) =>
  template.versions.find((v) => v.number === template.in_use)

async function take(files: File[]) {
  busy.value = true
  const made = await attempt(() => ask(api.POST('/api/templates', upload(files))))
  busy.value = false
  if (made) await router.push(`/templates/${made.id}`)
}
</script>

<template>
  <div class="screen">
    <div class="head">
      <h1>Templates</h1>
      <span class="quiet">Documents with placeholders</span><span class="push" />
      <RouterLink to="/messages">Messages</RouterLink>
      <RouterLink to="/clauses">Clauses</RouterLink>
      <NewPack />
      <FilePick label="Upload template" accept=".docx" main :busy="busy" @files="take" />
    </div>
    <div class="body">
      <LabelFilter v-model="label" :names="labels.names.value" />
      <table v-if="templates?.length" class="list">
        <thead>
          <tr>
            <th>Template</th>
            <th>Current file</th>
            <th class="num" style="width: 90px">Version</th>
            <th class="num" style="width: 90px">Size</th>
            <th style="width: 130px">Uploaded</th>
            <th style="width: 80px"><span class="unseen">Act</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="template in listed" :key="template.id">
            <td>
              <RouterLink :to="`/templates/${template.id}`"
                ><b>{{ template.name }}</b></RouterLink
              >
              <span v-for="own in labels.of(template.id)" :key="own" class="quiet"> {{ own }}</span>
            </td>
            <td class="quiet">{{ used(template)?.kind === 'pack' ? 'Pack' : used(template)?.file_name }}</td>
            <td class="num">
              {{ template.in_use }}
              <span
                v-if="(template.versions[0]?.number ?? 0) > template.in_use"
                class="say att"
                title="A newer version is a draft"
                >+{{ (template.versions[0]?.number ?? 0) - template.in_use }}</span
              >
            </td>
            <td class="num">{{ used(template)?.kind === 'pack' ? '' : size(used(template)?.size ?? 0) }}</td>
            <td class="quiet">{{ day(used(template)?.brought_in) }}</td>
            <td><TemplateMenu :template="template" @changed="load" /></td>
          </tr>
        </tbody>
      </table>
      <ListFoot v-if="templates?.length && templates.length < 12" :sections="foot" />
      <div v-if="templates && !templates.length" class="empty">
        <h2>No templates yet</h2>
        <p>
          Write a document in your word processor and put placeholders where values should appear:
          <span class="code">Dear [: first name] [: last name],</span> Save it as DOCX and upload it.
        </p>
        <FilePick label="Upload template" accept=".docx" main :busy="busy" @files="take" />
      </div>
    </div>
  </div>
</template>
