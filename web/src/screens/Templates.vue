<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas, upload } from '../api/client'
import { day, size } from '../api/words'
import FilePick from '../parts/FilePick.vue'

const router = useRouter()
const templates = ref<Schemas['TemplateInfo'][]>()
const busy = ref(false)
onMounted(() => attempt(async () => (templates.value = await ask(api.GET('/api/templates')))))

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
      <RouterLink to="/clauses">Clauses</RouterLink>
      <FilePick label="Upload template" accept=".docx" main :busy="busy" @files="take" />
    </div>
    <div class="body">
      <table v-if="templates?.length" class="list">
        <thead>
          <tr>
            <th>Template</th>
            <th>Current file</th>
            <th class="num" style="width: 90px">Version</th>
            <th class="num" style="width: 90px">Size</th>
            <th style="width: 130px">Uploaded</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="template in templates" :key="template.id">
            <td>
              <RouterLink :to="`/templates/${template.id}`"
                ><b>{{ template.name }}</b></RouterLink
              >
            </td>
            <td class="quiet">{{ used(template)?.file_name }}</td>
            <td class="num">
              {{ template.in_use }}
              <span
                v-if="(template.versions[0]?.number ?? 0) > template.in_use"
                class="say att"
                title="A newer version is a draft"
                >+{{ (template.versions[0]?.number ?? 0) - template.in_use }}</span
              >
            </td>
            <td class="num">{{ size(used(template)?.size ?? 0) }}</td>
            <td class="quiet">{{ day(used(template)?.brought_in) }}</td>
          </tr>
        </tbody>
      </table>
      <div v-else-if="templates" class="empty">
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
