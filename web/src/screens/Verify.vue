<script setup lang="ts">
import { useDropZone } from '@vueuse/core'
import { ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import FilePick from '../parts/FilePick.vue'

/** Whether a PDF is unchanged since it was sealed. */
const found = ref<Schemas['VerifiedFile']>()
const name = ref('')
const busy = ref(false)

async function check(files: (File | undefined)[]) {
  const file = files[0]
  if (!file) return
  busy.value = true
  const body = new FormData()
  body.append('file', file)
  const got = await attempt(() =>
    ask(api.POST('/api/verify', { body: body as never, bodySerializer: (own: unknown) => own as FormData })),
  )
  busy.value = false
  if (!got) return
  found.value = got
  name.value = file.name
}
const area = ref<HTMLElement>()
const { isOverDropZone: over } = useDropZone(area, (files) => void check(files ?? []))
/** The name in a certificate's subject. */
const nameIn = (subject: string) => /CN=([^,]+)/.exec(subject)?.[1] ?? subject
const first = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
const utc = (text: string) => text.replace('T', ' ')
const WORDS = {
  valid: ['right', 'Valid: unchanged since it was sealed'],
  changed: ['wrong', 'Changed since it was sealed'],
  'not-ours': ['att', 'Not sealed by Mangle'],
} as Record<string, [string, string]>
</script>

<template>
  <div class="screen">
    <div class="head"><h1>Verify</h1></div>
    <div ref="area" class="body" :class="{ over }">
      <p>Drop a PDF here, or choose one. It is checked from the file alone and not stored.</p>
      <FilePick label="Choose PDF" accept=".pdf" main :busy="busy" @files="check" />
      <section v-if="found" class="found" aria-live="polite">
        <h2>{{ name }}</h2>
        <p>
          <b class="say" :class="WORDS[found.state]?.[0]">{{ WORDS[found.state]?.[1] }}</b>
        </p>
        <p v-if="found.change" class="problem">{{ found.change }}</p>
        <dl v-if="found.sealed_by">
          <dt>Sealed by</dt>
          <dd :title="found.sealed_by">{{ nameIn(found.sealed_by) }}</dd>
          <dt>Sealed at</dt>
          <dd>{{ utc(found.sealed_at) }} UTC, timestamp by {{ nameIn(found.timestamp_by) }}</dd>
          <dt>Level</dt>
          <dd>{{ found.level }}<span v-if="found.level.endsWith('LT')">, with revocation lists</span></dd>
          <dt>Certificate (SHA-256)</dt>
          <dd class="code">{{ found.fingerprint }}</dd>
        </dl>
        <template v-if="found.signers.length">
          <h3>Signers</h3>
          <table class="list">
            <thead>
              <tr>
                <th>Name</th>
                <th>Role</th>
                <th>E-mail address</th>
                <th>Signed (UTC)</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="one in found.signers" :key="one[1]">
                <td>{{ one[0] }}</td>
                <td>{{ one[1] }}</td>
                <td>{{ one[2] }}</td>
                <td>{{ utc(one[3] ?? '') }}</td>
              </tr>
            </tbody>
          </table>
        </template>
        <template v-if="found.revisions.length">
          <h3>Parts of the file</h3>
          <p v-for="{ what, whole } in found.revisions" :key="what">
            {{ first(what) }}
            <span class="say" :class="whole ? 'right' : 'wrong'">{{ whole ? 'unchanged' : 'changed' }}</span>
          </p>
        </template>
        <template v-if="found.events.length">
          <h3>Events</h3>
          <p v-for="(one, at) in found.events" :key="at">
            <span class="quiet">{{ utc(one[0] ?? '') }} UTC</span> {{ one[1] }}: {{ one[2] }}
          </p>
        </template>
      </section>
    </div>
  </div>
</template>

<style scoped>
.body {
  padding: 16px;
}
.over {
  background: var(--head);
}
.found {
  max-width: 1000px;
  margin-top: 16px;
}
.found h3 {
  margin: 14px 0 4px;
  font-size: 13px;
}
.found p {
  margin: 4px 0;
}
dl {
  display: grid;
  grid-template-columns: 160px minmax(0, 1fr);
  gap: 4px 12px;
}
dt {
  color: var(--ink-2);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
