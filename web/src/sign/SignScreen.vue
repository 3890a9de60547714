<script setup lang="ts">
import createClient from 'openapi-fetch'
import { computed, defineAsyncComponent, nextTick, ref } from 'vue'

import type { components, paths } from '../api/schema'
import OfficeMark from '../shared/OfficeMark.vue'
import LeaveDialog from './LeaveDialog.vue'
import SignatureInput from './SignatureInput.vue'
import SignFields from './SignFields.vue'
import { wordsOf } from './words'

/** A document to sign, for whoever has a signer's link. */
const props = defineProps<{ token: string }>()
type Schemas = components['schemas']
type Field = Schemas['SignerNow']['fields'][number]

/** Loaded once a document is opened: it is larger than all the rest of the page. */
const Pages = defineAsyncComponent(() => import('../shared/SharedPages.vue'))

const api = createClient<paths>({ baseUrl: '/' })
const params = { path: { token: props.token } }

const page = ref<Schemas['SignerPage']>()
const now = ref<Schemas['SignerNow']>()
const words = computed(() => wordsOf(now.value?.language ?? page.value?.language ?? navigator.language))
const gone = ref('')
const passcode = ref('')
const problem = ref('')
const busy = ref(false)
const over = ref('')
const dialog = ref<'decline' | 'hand-on'>()
const input = ref<HTMLInputElement>()

const consent = ref(false)
const values = ref<Record<number, string>>({})
const signature = ref({ typed: '', picture: '' })
const initials = ref({ typed: '', picture: '' })
/** The field that the pages show. */
const at = ref<number>()

/** What a refusal says. */
const said = (error: unknown) => (error as { message?: string } | undefined)?.message ?? words.value.offline

function language(tag: string) {
  document.documentElement.lang = tag || 'en'
}

async function load() {
  gone.value = ''
  const got = await api.GET('/api/signer/{token}', { params }).catch(() => undefined)
  if (!got?.data) {
    gone.value = said(got?.error)
    return
  }
  page.value = got.data
  language(got.data.language)
  if (got.data.office) document.title = got.data.office
  await nextTick()
  input.value?.focus()
}
void load()

async function open() {
  busy.value = true
  problem.value = ''
  const body = { passcode: passcode.value }
  const got = await api.POST('/api/signer/{token}/open', { params, body }).catch(() => undefined)
  busy.value = false
  if (!got?.data) {
    problem.value = said(got?.error)
    await nextTick()
    input.value?.select()
    return
  }
  now.value = got.data
  consent.value = got.data.consented
  const filled = got.data.filled as unknown as Record<string, string>
  for (const field of got.data.fields) {
    values.value[field.number] = filled[field.number] ?? (field.kind === 'name' ? got.data.name : '')
  }
  document.title = got.data.title
}

const initialsOf = (name: string) =>
  name
    .split(/\s+/)
    .map((part) => part[0] ?? '')
    .join('')
const asks = (kind: string) => !!now.value?.fields.some((field) => field.kind === kind)
const given = (one: { typed: string; picture: string }) => !!(one.typed.trim() || one.picture)
const drawn = (field: Field) => (field.kind === 'signature' ? signature.value : initials.value)

function filled(field: Field) {
  if (field.kind === 'date') return true
  if (field.kind === 'signature' || field.kind === 'initials') return given(drawn(field))
  return !!values.value[field.number]?.trim()
}
const empty = computed(() => now.value?.fields.filter((field) => !field.optional && !filled(field)) ?? [])
const nameOf = (field: Field) =>
  field.label || words.value.kinds[field.kind as keyof typeof words.value.kinds]
/** Those that are filled in one by one: a signature serves for all of its kind. */
const listed = computed(
  () => now.value?.fields.filter((field) => !['signature', 'initials', 'date'].includes(field.kind)) ?? [],
)
const marks = computed(() =>
  now.value && !now.value.signed && !over.value
    ? now.value.fields.map((field) => ({
        number: field.number,
        page: field.page,
        left: field.left,
        top: field.top,
        width: field.width,
        height: field.height,
        label: nameOf(field),
        done: filled(field),
      }))
    : [],
)

/** Brings a field's input into view. */
async function focus(number: number) {
  const field = now.value?.fields.find((one) => one.number === number)
  if (!field) return
  at.value = number
  await nextTick()
  const id = ['signature', 'initials'].includes(field.kind) ? field.kind : `field-${number}`
  document.getElementById(id)?.focus()
}
function next() {
  const first = empty.value.find((field) => field.number !== at.value) ?? empty.value[0]
  if (first) void focus(first.number)
  else document.getElementById('sign')?.focus()
}

let timer = 0
/** What was filled in is there when the signer comes back. */
function keep() {
  window.clearTimeout(timer)
  timer = window.setTimeout(() => {
    const body = {
      key: now.value?.key ?? '',
      values: Object.fromEntries(Object.entries(values.value).filter(([, text]) => text)),
    }
    void api.PUT('/api/signer/{token}/filled', { params, body }).catch(() => undefined)
  }, 600)
}

async function sign() {
  if (!now.value) return
  problem.value = ''
  if (!consent.value) {
    problem.value = words.value.needConsent
    document.getElementById('consent')?.focus()
    return
  }
  if (empty.value.length) {
    problem.value = words.value.missing(empty.value.length)
    next()
    return
  }
  busy.value = true
  window.clearTimeout(timer)
  const own = Object.fromEntries(
    listed.value.map((field) => [field.number, values.value[field.number] ?? '']).filter(([, text]) => text),
  )
  const body: Schemas['SignInput'] = {
    key: now.value.key,
    consent: true,
    signature: asks('signature') && given(signature.value) ? signature.value : null,
    initials: asks('initials') && given(initials.value) ? initials.value : null,
    values: own,
  }
  const got = await api.POST('/api/signer/{token}/sign', { params, body }).catch(() => undefined)
  busy.value = false
  if (!got?.data) {
    problem.value = said(got?.error)
    return
  }
  over.value = got.data.completed ? words.value.completed : `${words.value.done} ${words.value.doneMore}`
}

const address = (save: boolean) =>
  `/api/signer/${props.token}/document?key=${now.value?.key ?? ''}${save ? '&save=true' : ''}`
const day = (utc: string) =>
  new Date(`${utc}Z`).toLocaleDateString(now.value?.language, {
    day: 'numeric',
    month: 'long',
    year: 'numeric',
  })
</script>

<template>
  <main class="shared sign" :class="{ reading: now && !over }">
    <div v-if="over" class="card">
      <h1>{{ now?.title }}</h1>
      <p class="told" role="status">{{ over }}</p>
    </div>
    <template v-else-if="now">
      <header>
        <div class="what">
          <span class="office">{{ page?.office }}</span>
          <h1>{{ now.title }}</h1>
        </div>
        <a class="press" :href="address(true)" :download="`${now.title}.pdf`">{{ words.copy }}</a>
      </header>
      <div class="both">
        <Pages :address="address(false)" :name="now.title" :fields="marks" :at="at" @field="focus" />
        <form class="answers" novalidate @submit.prevent="sign">
          <section v-if="now.others.length > 1">
            <h2>{{ words.who }}</h2>
            <ol class="others">
              <li v-for="one in now.others" :key="one.role">
                <b>{{ one.name }}</b> <small>{{ one.role }}</small>
                <span>{{ one.you ? words.you : one.signed ? words.signed : words.later }}</span>
              </li>
            </ol>
          </section>
          <p v-if="now.ends" class="told">{{ words.ends(day(now.ends)) }}</p>
          <section>
            <h2>{{ words.consentTitle }}</h2>
            <label class="check">
              <input id="consent" v-model="consent" type="checkbox" :disabled="now.consented" />
              <span>{{ now.consent }}</span>
            </label>
          </section>
          <section>
            <h2>{{ words.fields }}</h2>
            <SignatureInput
              v-if="asks('signature')"
              id="signature"
              v-model="signature"
              :label="words.kinds.signature"
              :start="now.name"
              :words="words"
            />
            <SignatureInput
              v-if="asks('initials')"
              id="initials"
              v-model="initials"
              :label="words.kinds.initials"
              :start="initialsOf(now.name)"
              :words="words"
            />
            <SignFields
              v-model="values"
              :fields="listed"
              :words="words"
              :name-of="nameOf"
              @at="at = $event"
              @changed="keep"
            />
            <p v-if="asks('date')" class="told quiet">{{ words.dateNote }}</p>
          </section>
          <p v-if="problem" class="wrong" role="alert">{{ problem }}</p>
          <div class="acts">
            <button v-if="empty.length" type="button" @click="next">{{ words.next }}</button>
            <button id="sign" class="press main" :disabled="busy">
              {{ busy ? words.signing : words.sign }}
            </button>
          </div>
          <div class="acts more">
            <button v-if="now.decline" type="button" @click="dialog = 'decline'">{{ words.decline }}</button>
            <button v-if="now.hand_on" type="button" @click="dialog = 'hand-on'">{{ words.handOn }}</button>
          </div>
          <LeaveDialog
            v-if="dialog"
            :token="token"
            :signer-key="now.key"
            :what="dialog"
            :words="words"
            @done="((over = $event), (dialog = undefined))"
            @cancel="dialog = undefined"
          />
        </form>
      </div>
    </template>
    <div v-else class="card">
      <p v-if="gone" class="told" role="alert">{{ gone }}</p>
      <button v-if="gone === words.offline" class="press" @click="load">{{ words.again }}</button>
      <p v-else-if="!page && !gone" class="told">{{ words.loading }}</p>
      <template v-else-if="page">
        <OfficeMark />
        <h1 v-if="page.office">{{ page.office }}</h1>
        <p v-if="page.state === 'closed'" class="told" role="status">{{ words.closed[page.reason] }}</p>
        <form v-else @submit.prevent="open">
          <p class="told">{{ words.from(page.office) }}</p>
          <label v-if="page.state === 'passcode'"
            >{{ words.passcode }}
            <input ref="input" v-model="passcode" name="passcode" autocomplete="one-time-code" required />
          </label>
          <p v-if="problem" class="wrong" role="alert">{{ problem }}</p>
          <button class="press main" :disabled="busy">{{ busy ? words.loading : words.open }}</button>
        </form>
      </template>
    </div>
  </main>
</template>
