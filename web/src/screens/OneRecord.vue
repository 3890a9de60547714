<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { said } from '../api/diagnostics'
import { again, createOne } from '../api/one'
import { count, moment } from '../api/words'
import MarkedPages from '../parts/MarkedPages.vue'
import PackQuestions from '../parts/PackQuestions.vue'
import StateWord from '../parts/StateWord.vue'
import ZoomBar from '../parts/ZoomBar.vue'
import { enter } from '../router'

/** One record, step by step: what is asked, the pages, and its document. */
const props = defineProps<{ dispatch: string; record: string }>()
const router = useRouter()
const one = ref<Schemas['OneRecord']>()
const page = ref<Schemas['PageView']>()
const problem = ref('')
const answers = ref<Record<string, string>>({})
/** Who signs, as it may be changed for this record. */
const signers = ref<Schemas['OneSigner'][]>([])
const sender = ref('')
const choices = computed<Schemas['OneChoices']>(() => {
  const before = one.value?.signers ?? []
  const changed = signers.value.filter((own, at) => {
    const was = before[at]
    return was && (own.name !== was.name || own.email !== was.email)
  })
  const people = changed.map(({ role, name, email, language }) => [
    role,
    { name, email, language, phone: '' },
  ])
  return { answers: answers.value, signers: Object.fromEntries(people), sender: sender.value }
})
const busy = ref<'hold' | 'send'>()
const zoom = ref(1)
/** The same start twice is one. */
const startKey = crypto.randomUUID()

let turn = 0
async function look() {
  const mine = ++turn
  const params = { path: { key: props.dispatch, record: one.value?.row ?? 0 } }
  const got = await api.POST('/api/dispatches/{key}/one/{record}/page', {
    params,
    body: choices.value,
  })
  if (mine !== turn) return
  page.value = got.data
  problem.value = got.error ? got.error.message : ''
}
onMounted(() =>
  enter(async () => {
    const params = { path: { key: props.dispatch, record: props.record } }
    one.value = await ask(api.GET('/api/dispatches/{key}/one/{record}', { params }))
    for (const question of one.value.questions)
      answers.value[question.about] = one.value.answers[question.about] ?? question.usual
    signers.value = one.value.signers.map((own) => ({ ...own }))
    await look()
  }),
)
const lookSoon = useDebounceFn(look, 400)
function answer(about: string, value: string) {
  answers.value = { ...answers.value, [about]: value }
  void look()
}
const ready = computed(
  () => !!one.value?.selected && !one.value.obstacles.length && !!page.value && !page.value.findings.length,
)
const told = computed(() => page.value?.deliveries.filter((own) => !own.skipped) ?? [])

async function create(hold: boolean) {
  const own = one.value
  if (!own || !(await again(own))) return
  busy.value = hold ? 'hold' : 'send'
  const to = await attempt(() => createOne(props.dispatch, own, { choices: choices.value, hold, startKey }))
  busy.value = undefined
  if (to) await router.push(to)
}
</script>

<template>
  <div v-if="one" class="screen">
    <div class="head">
      <h1>{{ one.label }}</h1>
      <span class="quiet"
        ><RouterLink :to="`/dispatches/${dispatch}`">{{ one.name }}</RouterLink
        >, {{ one.source }}, row {{ one.row }}</span
      >
      <span class="push" />
      <el-button :disabled="!ready" :loading="busy === 'hold'" @click="create(true)"
        >Create and hold</el-button
      >
      <el-button type="primary" :disabled="!ready" :loading="busy === 'send'" @click="create(false)">{{
        told.length ? 'Create and send' : 'Create'
      }}</el-button>
    </div>
    <div class="both">
      <div class="steps">
        <section v-if="!one.selected || one.obstacles.length" role="alert">
          <ul class="faults">
            <li v-if="!one.selected">
              The dispatch’s filter leaves this record out. Change the filter under
              <RouterLink :to="`/dispatches/${dispatch}/records`">Records</RouterLink>.
            </li>
            <li v-for="text in one.obstacles" :key="text">{{ text }}</li>
          </ul>
        </section>
        <section v-if="one.questions.length && !one.without_questions" aria-labelledby="asked">
          <h2 id="asked">Parts to choose</h2>
          <PackQuestions :questions="one.questions" :answers="answers" @answer="answer" />
        </section>
        <section v-if="signers.length && !one.without_questions" aria-labelledby="signed">
          <h2 id="signed">Signers</h2>
          <div v-for="own in signers" :key="own.role" class="signer">
            <b
              >{{ own.role
              }}<span v-if="own.others" class="quiet">, or {{ count(own.others, 'other') }}</span></b
            >
            <el-input v-model="own.name" :aria-label="`Name of the ${own.role}`" @input="lookSoon" />
            <el-input
              v-model="own.email"
              :aria-label="`E-mail address of the ${own.role}`"
              @input="lookSoon"
            />
          </div>
        </section>
        <section v-if="one.senders.length && !one.without_questions" aria-labelledby="from">
          <h2 id="from">Sender</h2>
          <el-select v-model="sender" aria-label="Sender" @change="look">
            <el-option value="" label="Sender of the dispatch" />
            <el-option v-for="own in one.senders" :key="own" :value="own" :label="own" />
          </el-select>
        </section>
        <section aria-labelledby="goes">
          <h2 id="goes">What happens</h2>
          <p v-if="page?.file_name" class="what">
            Creates <b>{{ page.file_name }}</b>
          </p>
          <dl v-for="own in told" :key="own.channel">
            <dt>{{ own.name }}</dt>
            <dd v-for="(line, at) in own.shown.slice(0, 3)" :key="at">{{ line.label }}: {{ line.text }}</dd>
          </dl>
          <p v-if="page && !page.findings.length && !told.length" class="quiet">
            It is stored and not delivered.
          </p>
          <p class="quiet">
            “Create and hold” lets you check the document and edit it in a word processor before it is sent.
          </p>
        </section>
        <section aria-labelledby="before">
          <h2 id="before">Created before</h2>
          <ul v-if="one.before.length" class="before">
            <li v-for="own in one.before.slice(0, 8)" :key="own.item">
              <RouterLink :to="`/documents/${own.item}`">{{ own.file_name || `Run ${own.run}` }}</RouterLink>
              <StateWord :state="own.state" />
              <span class="quiet">{{ moment(own.changed) }}</span>
            </li>
          </ul>
          <p v-else class="quiet">Nothing yet.</p>
        </section>
      </div>
      <aside class="page-side" aria-label="Page">
        <div v-if="page?.findings.length" role="alert">
          <ul class="faults">
            <li v-for="(finding, at) in page.findings" :key="at">
              <span v-if="finding.source" class="code name">{{ finding.source }}</span> {{ said(finding) }}
            </li>
          </ul>
        </div>
        <MarkedPages
          v-if="page?.pages.length"
          :pages="page.pages"
          :marks="[]"
          :signatures="page.signatures"
          :zoom="zoom"
        />
        <p v-if="problem" class="problem">{{ problem }}</p>
        <ZoomBar v-if="page?.pages.length" v-model="zoom" />
      </aside>
    </div>
  </div>
</template>

<style scoped>
.both {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(300px, 420px) minmax(0, 1fr);
}
@media (max-width: 820px) {
  .both {
    grid-template-columns: minmax(0, 1fr);
    overflow: auto;
  }
}
.steps {
  overflow: auto;
  padding: 14px 16px;
}
h2 {
  font-size: 13px;
  padding-bottom: 5px;
  margin-bottom: 8px;
  border-bottom: 1px solid var(--line);
}
section {
  margin-bottom: 18px;
}
.page-side {
  position: relative;
  overflow: auto;
  padding: 16px;
  background: var(--desk);
  border-left: 1px solid var(--line);
}
.signer {
  display: grid;
  gap: 4px;
  margin-bottom: 10px;
}
.what {
  color: var(--ink);
  overflow-wrap: anywhere;
}
dl {
  margin: 0 0 8px;
}
dt {
  font-weight: 600;
}
dd {
  margin: 0;
  color: var(--ink-2);
  overflow-wrap: anywhere;
}
.before {
  list-style: none;
  margin: 0;
  padding: 0;
}
.before li {
  display: flex;
  gap: 8px;
  align-items: center;
  min-height: 28px;
}
.before a {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
