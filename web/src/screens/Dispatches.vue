<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { useLabels } from '../api/labels'
import { type Run, useRuns } from '../api/runs'
import { clock, count, DATA_FILES, day, shortDay, stateWord } from '../api/words'
import DispatchMenu from '../parts/DispatchMenu.vue'
import FilePick from '../parts/FilePick.vue'
import LabelFilter from '../parts/LabelFilter.vue'
import StarterList from '../parts/StarterList.vue'
import ListFoot, { type FootLine } from '../parts/ListFoot.vue'

const emit = defineEmits<{ take: [File[]] }>()
const router = useRouter()
const dispatches = ref<Schemas['DispatchInfo'][]>()
const load = () => attempt(async () => (dispatches.value = await ask(api.GET('/api/dispatches'))))
onMounted(load)
const examples = ref(false)
const labels = useLabels('dispatch')
onMounted(labels.load)
const label = ref('')
const listed = computed(() =>
  dispatches.value?.filter((one) => !label.value || labels.of(one.key).includes(label.value)),
)

const runs = useRuns()
const name = (run: Run) => `${run.dispatch_name}, ${run.kind === 'proof' ? 'proofs' : 'run'} ${run.id}`
/** What a run leaves for a person to do. */
function open(run: Run): FootLine[] {
  const left = [
    run.failed ? `${count(run.failed, 'document')} failed` : '',
    run.uncertain ? `${run.uncertain} uncertain` : '',
    run.blocked ? `${run.blocked} on hold` : '',
    run.scheduled ? `${run.scheduled} scheduled` : '',
    run.state === 'paused' ? 'paused' : '',
  ].filter(Boolean)
  return left.length ? [{ to: `/runs/${run.id}`, name: name(run), text: left.join(', '), tone: 'wrong' }] : []
}
/** What a dispatch's triggers leave for a person to do. */
function waits(one: Schemas['DispatchInfo']): FootLine[] {
  if (!one.waiting) return []
  const text = `${count(one.waiting, 'start')} waiting for you`
  return [{ to: `/dispatches/${one.key}/trigger`, name: one.name, text, tone: 'wrong' }]
}
const foot = computed(() => [
  {
    title: 'Needs attention',
    none: 'Nothing. Failed documents, paused runs and starts that wait for you are listed here.',
    lines: [...(dispatches.value ?? []).flatMap(waits), ...runs.runs.flatMap(open)].slice(0, 6),
  },
  {
    title: 'Last runs',
    none: 'No runs yet. Open a dispatch and press Run.',
    lines: runs.runs.slice(0, 6).map((run) => ({
      to: `/runs/${run.id}`,
      name: name(run),
      text: `${shortDay(run.started)}, ${clock(run.started)}: ${count(run.count, 'document')}, ${stateWord(run.state).toLowerCase()}`,
    })),
  },
])

async function add() {
  const made = await attempt(() =>
    ask(api.POST('/api/dispatches', { body: { name: 'New dispatch', filter: '' } })),
  )
  if (made) await router.push(`/dispatches/${made.key}/template`)
}
</script>

<template>
  <div class="screen">
    <div class="head">
      <h1>Dispatches</h1>
      <span class="quiet">Saved set-ups: template, records and delivery</span><span class="push" />
      <FilePick
        label="Import data and template"
        :accept="`${DATA_FILES},.docx`"
        many
        @files="emit('take', $event)"
      />
      <el-button @click="router.push('/moves')">Import set-up</el-button>
      <el-button @click="examples = true">Examples</el-button>
      <el-button type="primary" @click="add">New dispatch</el-button>
    </div>
    <div class="body">
      <LabelFilter v-model="label" :names="labels.names.value" />
      <table v-if="dispatches?.length" class="list">
        <thead>
          <tr>
            <th>Dispatch</th>
            <th>Template</th>
            <th>Records</th>
            <th>Last run</th>
            <th style="width: 110px">Changed</th>
            <th style="width: 80px"><span class="unseen">Act</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in listed" :key="one.key">
            <td>
              <RouterLink :to="`/dispatches/${one.key}`"
                ><b>{{ one.name }}</b></RouterLink
              >
              <span v-for="own in labels.of(one.key)" :key="own" class="quiet"> {{ own }}</span>
            </td>
            <td>{{ one.template ?? '' }}</td>
            <td>{{ one.sheet ?? '' }}</td>
            <td>
              <RouterLink v-if="one.last_run" :to="`/runs/${one.last_run.id}`"
                >{{ shortDay(one.last_run.started) }}, {{ one.last_run.delivered }}
                {{ one.last_run.sends ? 'delivered' : 'stored'
                }}<template v-if="one.last_run.failed"
                  >, {{ one.last_run.failed }} failed</template
                ></RouterLink
              >
              <span v-else class="quiet">never</span>
            </td>
            <td class="quiet">{{ day(one.changed) }}</td>
            <td>
              <DispatchMenu :dispatch="one.key" :name="one.name" @deleted="load" @copied="load" />
            </td>
          </tr>
        </tbody>
      </table>
      <ListFoot v-if="dispatches?.length && dispatches.length < 12" :sections="foot" />
      <div v-if="dispatches && !dispatches.length" class="empty">
        <h2>No dispatches yet</h2>
        <p>
          Drop a data file and a DOCX template on this page together. A dispatch opens with both, columns
          matched to placeholders and the first page in view.
        </p>
        <FilePick
          label="Import data and template"
          :accept="`${DATA_FILES},.docx`"
          main
          many
          @files="emit('take', $event)"
        />
        <h2 class="or">Or start from an example</h2>
        <StarterList />
      </div>
    </div>
    <el-dialog v-model="examples" title="Start from an example" width="640px">
      <p>Each adds a template, sample records or a form, and a dispatch that you can run at once.</p>
      <StarterList v-if="examples" @done="examples = false" />
    </el-dialog>
  </div>
</template>

<style scoped>
.or {
  margin-top: 36px;
}
.empty {
  max-width: 560px;
}
</style>
