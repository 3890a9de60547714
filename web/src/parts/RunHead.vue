<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, save, type Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import { retryRun } from '../api/retry'
import { useRuns } from '../api/runs'
import { clock, count, moment, shortDay } from '../api/words'
import StateWord from './StateWord.vue'

/** The head of a run: what it is, and what can be done with all of it. */
const props = defineProps<{ run: Schemas['RunInfo'] }>()
const store = useRuns()
const router = useRouter()

/** Starts another run for those that failed, with their values and the set-up of now. */
async function anew() {
  const done = await attempt(async () => {
    const params = { path: { key: props.run.dispatch } }
    const now = await ask(api.GET('/api/dispatches/{key}', { params }))
    const { name, template_id, sheet_id, setup, revision } = now
    const body = {
      name,
      template_id,
      sheet_id,
      revision,
      setup: { ...setup, choose: 'failed-last' as const },
    }
    return await ask(api.PUT('/api/dispatches/{key}', { params, body }))
  })
  if (done) await router.push(`/dispatches/${done.key}/preflight`)
}

async function release() {
  const text = `${count(props.run.blocked, 'document')} will be delivered. Sent messages can’t be recalled.`
  const asked = { title: 'Release', text, act: 'Release deliveries', cancel: 'Cancel', destroys: false }
  if (await confirmed(asked)) await act('release')
}

const fetching = ref(false)
/** Downloads all documents, and says why where they can't be had. */
async function download(kind: 'zip' | 'pdf') {
  fetching.value = true
  await attempt(() => save(`/api/runs/${props.run.id}/documents.${kind}`))
  fetching.value = false
}

type Act = 'pause' | 'resume' | 'stop' | 'release'
async function act(what: Act) {
  const answer = await attempt(() =>
    ask(api.POST(`/api/runs/{id}/${what}`, { params: { path: { id: props.run.id } } })),
  )
  if (answer) await store.refresh(answer.id)
}

async function retry() {
  const run = await retryRun(props.run.id)
  if (run) await store.refresh(run)
}

async function stop() {
  const left = props.run.waiting + props.run.blocked + props.run.scheduled + props.run.sending
  const text = `Stop this run? ${count(left, 'record')} will be left out. Delivered documents are not affected.`
  const asked = { title: 'Stop run', text, act: 'Stop run', cancel: 'Keep running', destroys: true }
  if (await confirmed(asked)) await act('stop')
}
</script>

<template>
  <div class="head">
    <h1>{{ run.dispatch_name }}</h1>
    <span class="quiet"
      >run {{ run.id }}{{ run.kind === 'proof' ? ', proofs' : '' }}, started {{ shortDay(run.started) }}
      {{ clock(run.started) }}</span
    >
    <StateWord :state="run.state" :failed="run.failed" />
    <RouterLink v-if="run.signing" :to="`/signing?run=${run.id}`"
      >{{ count(run.signing, 'document') }} waiting for signatures</RouterLink
    >
    <span v-if="run.opens && run.scheduled" class="quiet">delivers from {{ moment(run.opens) }}</span>
    <span v-if="run.hold_after && run.blocked" class="say att"
      >First {{ run.hold_after }} delivered, the rest is on hold</span
    >
    <span class="push" />
    <span v-if="run.dispatch_deleted" class="quiet">Dispatch deleted</span>
    <RouterLink v-else class="quiet" :to="`/dispatches/${run.dispatch}`">Open dispatch</RouterLink>
    <el-button v-if="run.state === 'running'" @click="act('pause')">Pause</el-button>
    <el-button v-if="run.state === 'paused'" type="primary" @click="act('resume')">Resume</el-button>
    <el-button v-if="run.state === 'running' || run.state === 'paused'" @click="stop">Stop</el-button>
    <el-button v-if="run.blocked && run.state !== 'stopped'" type="primary" @click="release"
      >Release {{ run.blocked }} on hold</el-button
    >
    <template v-if="run.failed && run.kind === 'run'">
      <el-button v-if="run.state !== 'stopped'" title="Retry with the same values and set-up" @click="retry"
        >Retry {{ run.failed }} failed</el-button
      >
      <el-button type="primary" title="Run again with the current values and set-up" @click="anew"
        >Run {{ run.failed }} with current data</el-button
      >
    </template>
    <el-button :loading="fetching" @click="download('zip')">Download ZIP</el-button>
    <el-button :disabled="fetching" @click="download('pdf')">Download one PDF</el-button>
  </div>
</template>
