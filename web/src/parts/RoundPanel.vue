<script setup lang="ts">
import { ref, watch } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import { clock, shortDay } from '../api/words'
import StateWord from './StateWord.vue'

/** One signing round: its signers, what can be done, and what happened. */
const props = defineProps<{ round: number; revision: string }>()
const emit = defineEmits<{ changed: [] }>()
const detail = ref<Schemas['RoundDetail']>()
const correcting = ref<Schemas['RoundSigner']>()
const email = ref('')

watch(
  () => [props.round, props.revision],
  () =>
    attempt(async () => {
      detail.value = await ask(api.GET('/api/rounds/{id}', { params: { path: { id: props.round } } }))
    }),
  { immediate: true },
)

const params = () => ({ path: { id: props.round } })
function took(now: Schemas['RoundDetail'] | undefined, text: string) {
  if (!now) return
  detail.value = now
  ElMessage({ message: text })
  emit('changed')
}
const remind = async () =>
  took(await attempt(() => ask(api.POST('/api/rounds/{id}/remind', { params: params() }))), 'Reminder sent')
const seal = async () =>
  took(await attempt(() => ask(api.POST('/api/rounds/{id}/seal', { params: params() }))), 'Sealing again')

async function withdraw() {
  const asked = {
    title: 'Withdraw',
    text: 'Nobody can sign this document any more. Everyone who was invited gets a message.',
    act: 'Withdraw document',
    destroys: true,
  }
  if (!(await confirmed(asked))) return
  const body = { reason: '' }
  took(
    await attempt(() => ask(api.POST('/api/rounds/{id}/withdraw', { params: params(), body }))),
    'Withdrawn',
  )
}

function begin(signer: Schemas['RoundSigner']) {
  correcting.value = signer
  email.value = signer.email
}
async function correct() {
  const signer = correcting.value
  if (!signer) return
  const body = { place: signer.place, email: email.value }
  const now = await attempt(() => ask(api.POST('/api/rounds/{id}/correct', { params: params(), body })))
  if (now) correcting.value = undefined
  took(now, 'A new link was sent')
}

function save() {
  const blob = new Blob([JSON.stringify(detail.value?.events, null, 2)], { type: 'application/json' })
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = `${detail.value?.title ?? 'round'} events.json`
  link.click()
  URL.revokeObjectURL(link.href)
}

const WORDS: Record<string, string> = {
  waiting: 'later',
  invited: 'invited',
  opened: 'opened',
  signed: 'signed',
  'not-needed': 'not needed',
  declined: 'declined',
}
const detailOf = (link: Schemas['Link']) => {
  const own = link.with as unknown as Record<string, unknown> | null
  return [own?.name, own?.reason, own?.address, own?.level]
    .filter((one) => typeof one === 'string' && one)
    .join(', ')
}
</script>

<template>
  <div v-if="detail" class="panel-body">
    <h2>{{ detail.title }}</h2>
    <p class="now">
      <StateWord :state="detail.state" />
      <a :href="`/api/rounds/${detail.id}/document`" target="_blank">Open PDF</a>
    </p>
    <p v-if="detail.seal_error" class="problem">
      {{ detail.seal_error }} <el-button @click="seal">Try again</el-button>
    </p>
    <p v-if="detail.state === 'open'" class="doing">
      <el-button @click="remind">Remind</el-button>
      <el-button @click="withdraw">Withdraw</el-button>
    </p>
    <h3>Signers</h3>
    <section v-for="one in detail.signers" :key="`${one.place.seat}.${one.place.person}`" class="signer">
      <p class="now">
        <span
          ><b>{{ one.name }}</b> <span class="quiet">{{ one.role }}, step {{ one.step }}</span></span
        >
        <span
          class="say"
          :class="one.state === 'signed' ? 'right' : one.state === 'declined' ? 'wrong' : 'att'"
          >{{ WORDS[one.state] }}</span
        >
      </p>
      <p class="text">{{ one.email }}</p>
      <p v-if="one.trouble" class="problem">{{ one.trouble }}</p>
      <p v-if="one.invited" class="quiet">
        Invited {{ shortDay(one.invited) }}, {{ clock(one.invited)
        }}{{ one.reminded ? `, reminded ${one.reminded === 1 ? 'once' : `${one.reminded} times`}` : '' }}
      </p>
      <template v-if="detail.state === 'open' && ['waiting', 'invited', 'opened'].includes(one.state)">
        <form v-if="correcting === one" class="doing" @submit.prevent="correct">
          <el-input v-model="email" aria-label="E-mail address" />
          <el-button native-type="submit" type="primary">Send new link</el-button>
          <el-button @click="correcting = undefined">Cancel</el-button>
        </form>
        <p v-else><el-button text @click="begin(one)">Correct address or resend</el-button></p>
      </template>
    </section>
    <h3>Events</h3>
    <ol>
      <li v-for="link in detail.events" :key="link.number">
        <span class="quiet when">{{ shortDay(link.at) }}, {{ clock(link.at) }}</span>
        <div>
          {{ link.who }}: {{ link.what }}
          <div v-if="detailOf(link)" class="quiet text">{{ detailOf(link) }}</div>
        </div>
      </li>
    </ol>
    <p><el-button text @click="save">Download events (JSON)</el-button></p>
  </div>
</template>

<style scoped>
h2 {
  margin: 0;
  font-size: 13px;
}
h3 {
  margin: 6px 0 -4px;
  font-size: 12px;
  color: var(--ink-2);
}
.now {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
}
.signer {
  border-top: 1px solid var(--line);
  padding: 4px 0;
}
.text {
  overflow-wrap: anywhere;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 88px minmax(0, 1fr);
  gap: 8px;
  padding: 3px 0;
}
</style>
