<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { api, ask, attempt, type Schemas } from '../api/client'
import FormLine from './FormLine.vue'
import Group from './Group.vue'
import { SETTINGS } from './settings'

/** The office's buckets: folders of an S3-compatible store. */
const buckets = ref<Schemas['Bucket'][]>([])
const withSecret = ref<string[]>([])
const secrets = ref<string[]>([])
const revision = ref(0)

function take(body: Schemas['BucketsBody']) {
  buckets.value = body.buckets
  withSecret.value = body.with_secret
  secrets.value = body.buckets.map(() => '')
  revision.value = body.revision
}
onMounted(() => attempt(async () => take(await ask(api.GET('/api/buckets')))))

function add() {
  buckets.value.push({ name: '', endpoint: '', region: '', bucket: '', prefix: '', key_id: '' })
  secrets.value.push('')
}
function remove(at: number) {
  buckets.value.splice(at, 1)
  secrets.value.splice(at, 1)
}

async function save() {
  const named = buckets.value.map((one, at) => [one.name, secrets.value[at] ?? ''] as const)
  const body = {
    buckets: buckets.value,
    secrets: Object.fromEntries(named.filter(([, secret]) => secret)),
    revision: revision.value,
  }
  const kept = await attempt(() => ask(api.PUT('/api/buckets', { body })))
  if (!kept) return
  take(kept)
  ElMessage({ message: 'Buckets saved' })
}

const FIELDS = [
  ['name', 'Name', 'What dispatches call it.', 'Archive'],
  ['endpoint', 'Endpoint', 'The URL of the store.', 'https://s3.office.example'],
  ['bucket', 'Bucket', '', ''],
  ['prefix', 'Prefix', 'Added before every name. Blank for none.', ''],
  ['region', 'Region', 'Blank for us-east-1.', ''],
  ['key_id', 'Access key ID', '', ''],
] as const
</script>

<template>
  <form class="buckets" aria-label="Buckets" @submit.prevent="save">
    <Group
      :level="2"
      :title="SETTINGS.buckets.title"
      :says="buckets.map((one) => one.name).join(', ') || 'none'"
    >
      <div class="wide">
        <p v-if="!buckets.length" class="quiet">
          Folder channels can also put documents into a bucket of an S3-compatible store.
        </p>
        <section v-for="(one, at) in buckets" :key="at" :aria-label="`Bucket ${at + 1}`">
          <FormLine v-for="[field, label, about, hint] in FIELDS" :key="field" :label="label" :about="about">
            <el-input v-model="one[field]" :placeholder="hint" />
          </FormLine>
          <FormLine
            label="Secret access key"
            :about="
              withSecret.includes(one.name) ? 'Saved, encrypted. Leave blank to keep it.' : 'Saved encrypted.'
            "
          >
            <el-input v-model="secrets[at]" type="password" autocomplete="new-password" />
          </FormLine>
          <el-button text :aria-label="`Remove bucket ${one.name || at + 1}`" @click="remove(at)"
            >Remove</el-button
          >
        </section>
        <p class="acts">
          <el-button @click="add">Add bucket</el-button>
          <el-button native-type="submit">Save buckets</el-button>
        </p>
      </div>
    </Group>
  </form>
</template>

<style scoped>
section {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 200px), 1fr));
  align-items: start;
  gap: 0 16px;
  border-bottom: 1px solid var(--line);
  margin-bottom: 10px;
  padding-bottom: 6px;
}
section .el-button {
  justify-self: start;
}
.acts {
  display: flex;
  gap: 8px;
}
.acts .el-button {
  margin: 0;
}
</style>
