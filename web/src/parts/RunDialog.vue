<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { documentsInWords, repeats, type Bench } from '../api/bench'
import { api, ask, attempt } from '../api/client'
import { clock, count, day } from '../api/words'
import { channelsInWords } from '../registries/channels'

/** The last word before a run: its number and its consequence. */
const props = defineProps<{ bench: Bench; change: (work: (bench: Bench) => void) => void }>()
const open = defineModel<boolean>({ required: true })
const router = useRouter()
const starting = ref(false)
const confirmed = ref(false)
/** How much is delivered before a person looks, and from when on. */
const holds = ref<'none' | 'after' | 'all'>('none')
const first = ref(10)
const later = ref(false)
const at = ref('')
const channels = computed(() => channelsInWords(props.bench))
const mails = computed(() => props.bench.setup.channels.some((c) => c.on && c.channel.kind === 'email'))

/** The same start is one run, however often the button is pressed. */
let startKey = ''
watch(open, (now) => {
  if (!now) return
  startKey = crypto.randomUUID()
  confirmed.value = false
  holds.value = 'none'
  later.value = false
  at.value = ''
})

const again = computed(() => repeats(props.bench))
const fresh = computed(() => props.bench.records.length - again.value)
/** The last run that has served one of the records. */
const last = computed(() =>
  props.bench.records
    .flatMap((r) => r.served ?? [])
    .reduce<{ run: number; at: string } | undefined>((a, b) => (a && a.at > b.at ? a : b), undefined),
)

async function run() {
  starting.value = true
  const params = { path: { key: props.bench.key } }
  const body = {
    count: props.bench.records.length,
    repeats: again.value,
    revision: props.bench.revision,
    start_key: startKey,
    hold: holds.value === 'all' && !!channels.value,
    hold_after: holds.value === 'after' && channels.value ? first.value : null,
    at: later.value && channels.value ? at.value : null,
  }
  const started = await attempt(() => ask(api.POST('/api/dispatches/{key}/runs', { params, body })))
  starting.value = false
  if (!started) return
  open.value = false
  await router.push(`/runs/${started.id}`)
}

function onlyFresh() {
  props.change((b) => (b.setup.choose = 'unserved'))
  open.value = false
}
</script>

<template>
  <el-dialog v-model="open" :title="`Run ${documentsInWords(bench)}`" width="460">
    <p v-if="channels">
      {{ documentsInWords(bench) }} will be created and delivered: {{ channels }}.<template v-if="mails">
        Sent messages can’t be recalled.</template
      >
    </p>
    <p v-else>{{ documentsInWords(bench) }} will be created and stored here. Nothing is sent.</p>
    <template v-if="channels">
      <div class="field" role="group" aria-label="Deliver">
        <span>Deliver</span>
        <el-radio-group v-model="holds" aria-label="Deliver">
          <el-radio value="none">All documents</el-radio>
          <el-radio value="after">First batch, then hold</el-radio>
          <el-radio value="all">Hold until released</el-radio>
        </el-radio-group>
      </div>
      <label v-if="holds === 'after'" class="field">
        <span>First batch</span>
        <el-input-number v-model="first" :min="1" :max="bench.records.length" aria-label="First batch" />
        <small class="quiet">All documents are created; the rest is held until released.</small>
      </label>
      <div class="field">
        <el-checkbox v-model="later">Deliver later</el-checkbox>
        <el-date-picker
          v-if="later"
          v-model="at"
          type="datetime"
          format="YYYY-MM-DD HH:mm"
          value-format="YYYY-MM-DDTHH:mm"
          placeholder="Date and time"
          aria-label="Deliver from"
        />
        <small v-if="later" class="quiet">Documents are created now and delivered from that time on.</small>
      </div>
    </template>
    <div v-if="again && last" class="again" role="alert">
      <p>
        <b
          >{{
            again === bench.records.length
              ? again === 1
                ? 'This record was'
                : `All ${again} records were`
              : `${count(again, 'record')} ${again === 1 ? 'was' : 'were'}`
          }}
          already sent by this dispatch</b
        >, last on {{ day(last.at) }} at {{ clock(last.at) }} by
        <RouterLink :to="`/runs/${last.run}`">run {{ last.run }}</RouterLink
        >.
      </p>
      <el-checkbox v-model="confirmed"
        >Send {{ again === 1 ? 'this one' : `these ${again}` }} again</el-checkbox
      >
      <el-button v-if="fresh" @click="onlyFresh">Select only the {{ fresh }} not sent yet</el-button>
    </div>
    <template #footer>
      <el-button @click="open = false">Cancel</el-button>
      <el-button
        type="primary"
        :loading="starting"
        :disabled="(!!again && !confirmed) || (later && !at)"
        @click="run"
        >Run {{ documentsInWords(bench) }}</el-button
      >
    </template>
  </el-dialog>
</template>

<style scoped>
.again {
  padding: 8px 12px;
  background: var(--attention-tint);
  border-left: 3px solid var(--attention);
}
.again .el-checkbox {
  margin-right: 16px;
}
.again p {
  margin: 0 0 6px;
}
</style>
