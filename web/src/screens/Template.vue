<script setup lang="ts">
import { onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas, upload } from '../api/client'
import { count, day, size } from '../api/words'
import FilePick from '../parts/FilePick.vue'
import OutlineList from '../parts/OutlineList.vue'
import Spot from '../parts/Spot.vue'

const props = defineProps<{ id: string }>()
const router = useRouter()
const template = ref<Schemas['TemplateDetail']>()
const busy = ref(false)
/** The placeholder that was chosen in the outline. */
const chosen = ref<number>()
const params = () => ({ path: { id: Number(props.id) } })
const load = () =>
  attempt(async () => (template.value = await ask(api.GET('/api/templates/{id}', { params: params() }))))
onMounted(load)
watch(() => props.id, load)

function choose(placeholder: number) {
  chosen.value = placeholder
  document.getElementById(`placeholder-${placeholder}`)?.scrollIntoView({ block: 'center' })
}

async function replace(files: File[]) {
  busy.value = true
  const changed = await attempt(() =>
    ask(api.POST('/api/templates/{id}', { params: params(), ...upload(files) })),
  )
  busy.value = false
  if (changed) template.value = changed
}

async function remove() {
  try {
    await ElMessageBox.confirm(
      `Delete ${template.value?.name} with ${count(template.value?.versions.length ?? 0, 'version')}? It can't be brought back.`,
      'Delete template',
      { confirmButtonText: 'Delete template', cancelButtonText: 'Keep' },
    )
  } catch {
    return
  }
  const gone = await attempt(() => ask(api.DELETE('/api/templates/{id}', { params: params() })))
  if (gone) await router.push('/templates')
}
</script>

<template>
  <div v-if="template" class="screen">
    <div class="head">
      <h1>{{ template.name }}</h1>
      <span class="quiet"
        >version {{ template.versions[0]?.number }}, {{ template.versions[0]?.file_name }},
        {{ size(template.versions[0]?.size ?? 0) }}</span
      >
      <span class="push" />
      <el-button @click="remove">Delete</el-button>
      <FilePick label="Bring in a newer file" accept=".docx" main :busy="busy" @files="replace" />
    </div>
    <div class="body columns">
      <section>
        <template v-if="template.problems.length">
          <h2>
            Problems <span class="say wrong">{{ template.problems.length }}</span>
          </h2>
          <p>
            Put these right in the file and bring it in again. Until then no documents can be made with this
            version.
          </p>
          <ul class="problems">
            <li v-for="(problem, index) in template.problems" :key="index">
              <Spot :text="problem.placeholder" :start="problem.start" :end="problem.end" />
              <div>{{ problem.message }}</div>
              <div class="quiet">{{ problem.place }}: {{ problem.line }}</div>
            </li>
          </ul>
        </template>
        <h2>
          Placeholders <span class="quiet">{{ template.placeholders.length }}</span>
        </h2>
        <p v-if="!template.placeholders.length">
          There are none. Write for instance <span class="code">[: last name]</span> where the record's value
          goes.
        </p>
        <table v-else class="list">
          <thead>
            <tr>
              <th style="width: 42%">Placeholder</th>
              <th style="width: 80px">Place</th>
              <th>Line of text</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="(placeholder, index) in template.placeholders"
              :id="`placeholder-${index}`"
              :key="index"
              :class="{ chosen: index === chosen }"
            >
              <td class="code name" :title="placeholder.text">{{ placeholder.text }}</td>
              <td class="quiet">{{ placeholder.place }}</td>
              <td class="quiet" :title="placeholder.line">{{ placeholder.line }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <aside>
        <p v-for="said in template.told" :key="said" class="told">{{ said }}</p>
        <template v-if="template.outline.length">
          <h2>Logic</h2>
          <OutlineList :lines="template.outline" :chosen="chosen" @choose="choose" />
        </template>
        <h2>Versions</h2>
        <ol>
          <li v-for="(version, index) in template.versions" :key="version.id">
            <a :href="`/api/versions/${version.id}`">{{ version.number }}. {{ version.file_name }}</a>
            <span class="quiet">{{ index === 0 ? 'in use, ' : '' }}{{ day(version.brought_in) }}</span>
          </li>
        </ol>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: 1fr 260px;
  gap: 24px;
}
section h2:not(:first-child) {
  margin-top: 20px;
}
.problems {
  list-style: none;
  padding: 0;
  margin: 0;
}
.problems li {
  border-left: 2px solid var(--wrong);
  padding: 6px 10px;
  margin-bottom: 8px;
  background: var(--sheet);
}
aside h2:not(:first-child) {
  margin-top: 20px;
}
.told {
  border-left: 2px solid var(--line);
  padding: 4px 10px;
}
tr.chosen td {
  background: var(--sheet);
}
ol {
  list-style: none;
  padding: 0;
}
ol li {
  display: grid;
  padding: 6px 0;
  border-bottom: 1px solid var(--line-2);
}
</style>
