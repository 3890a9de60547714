<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { api, ask, attempt, type Schemas } from '../api/client'
import { confirmed } from '../api/confirm'
import { type Connection, FIELD_TYPES } from '../api/crm'
import { clock, count, day } from '../api/words'
import FormLine from '../parts/FormLine.vue'
import FrameSites from '../parts/FrameSites.vue'

/** The CRMs that are connected: where they are, what they hold, what has changed in them. */
const props = defineProps<{ id?: string }>()
const router = useRouter()
const all = ref<Connection[]>()
const looked = ref<Schemas['Looked']>()
const search = ref('')
const busy = ref(false)
const draft = ref({ name: '', address: '', token: '' })

const chosen = computed(() => all.value?.find((c) => c.id === Number(props.id)))
const load = async () => (all.value = await ask(api.GET('/api/connections')))
void attempt(load)
watch(
  [chosen, () => props.id],
  () => {
    const own = chosen.value
    draft.value = { name: own?.name ?? '', address: own?.address ?? '', token: '' }
    if (looked.value?.connection.id !== own?.id) looked.value = undefined
  },
  { immediate: true },
)

const typeName = (kind: Schemas['FieldType']) => FIELD_TYPES[kind]

/** Entities and their members that a search finds. */
const found = computed(() => {
  const wanted = search.value.trim().toLowerCase()
  const has = (one: { name: string; label: string }) =>
    `${one.name} ${one.label}`.toLowerCase().includes(wanted)
  return (chosen.value?.shape.entities ?? []).flatMap((entity) => {
    const whole = !wanted || has({ name: entity.set, label: entity.label })
    const fields = whole ? entity.fields : entity.fields.filter(has)
    const ways = whole ? entity.ways : entity.ways.filter(has)
    return fields.length || ways.length ? [{ entity, fields, ways }] : []
  })
})

async function keep() {
  busy.value = true
  const body = { ...draft.value, token: draft.value.token || null }
  const kept = await attempt(() =>
    chosen.value
      ? ask(api.PUT('/api/connections/{id}', { params: { path: { id: chosen.value.id } }, body }))
      : ask(api.POST('/api/connections', { body })),
  )
  busy.value = false
  if (!kept) return
  await attempt(load)
  await router.replace(`/connections/${kept.id}`)
}

async function look() {
  const own = chosen.value
  if (!own) return
  busy.value = true
  const params = { path: { id: own.id } }
  looked.value = await attempt(() => ask(api.POST('/api/connections/{id}/shape', { params })))
  busy.value = false
  await attempt(load)
}

async function remove() {
  const own = chosen.value
  if (!own) return
  const text = `Delete the connection to ${own.name} with its token? This can’t be undone.`
  if (!(await confirmed({ title: 'Delete connection', text, act: 'Delete connection', destroys: true })))
    return
  const gone = await attempt(() =>
    ask(api.DELETE('/api/connections/{id}', { params: { path: { id: own.id } } })),
  )
  if (!gone) return
  await attempt(load)
  await router.replace('/connections')
}
</script>

<template>
  <div class="screen">
    <div class="head">
      <h1>Connections</h1>
      <span class="quiet"
        >CRM systems with an OData 4 service; <RouterLink to="/sources">Back to Sources</RouterLink></span
      >
      <span class="push" />
      <template v-if="chosen">
        <el-button :loading="busy" @click="look">Check for schema changes</el-button>
        <el-button type="primary" @click="router.push(`/queries/new?connection=${chosen.id}`)"
          >New query</el-button
        >
      </template>
    </div>
    <div class="desk">
      <nav aria-label="Connections">
        <RouterLink
          v-for="one in all"
          :key="one.id"
          :to="`/connections/${one.id}`"
          :class="{ here: one.id === chosen?.id }"
          ><b>{{ one.name }}</b
          ><span class="quiet">{{ count(one.queries.length, 'query', 'queries') }}</span></RouterLink
        >
        <RouterLink to="/connections" :class="{ here: !chosen }">New connection</RouterLink>
      </nav>
      <form class="where" @submit.prevent="keep">
        <FormLine label="Name">
          <el-input v-model="draft.name" aria-label="Name" />
        </FormLine>
        <FormLine label="Service URL" about="Root URL of the OData service">
          <el-input
            v-model="draft.address"
            aria-label="Service URL"
            placeholder="https://crm.example/odata/"
          />
        </FormLine>
        <FormLine
          label="Token"
          :about="chosen ? 'Stored encrypted. Enter a new token to replace it.' : 'Stored encrypted'"
        >
          <el-input v-model="draft.token" aria-label="Token" type="password" autocomplete="off" />
        </FormLine>
        <div class="doing">
          <el-button type="primary" native-type="submit" :loading="busy" :disabled="!draft.address.trim()">{{
            chosen ? 'Save' : 'Connect'
          }}</el-button>
          <el-button v-if="chosen" :disabled="!!chosen.queries.length" @click="remove"
            >Delete connection</el-button
          >
        </div>
        <template v-if="chosen">
          <FrameSites
            :id="chosen.id"
            kind="connection"
            about="A page of this CRM can then show one record’s document: /go/DISPATCH-KEY/RECORD-KEY"
          />
          <p class="quiet">Schema last read {{ day(chosen.seen) }}, {{ clock(chosen.seen) }}.</p>
          <p v-for="one in chosen.queries" :key="one.id" class="query">
            <RouterLink :to="`/queries/${one.id}`">{{ one.name }}</RouterLink>
          </p>
        </template>
      </form>
      <section v-if="chosen" class="shape" aria-label="Entities and fields">
        <div v-if="looked" class="changes" role="status">
          <b v-if="!looked.changes.length">No changes.</b>
          <template v-else>
            <b>{{ count(looked.changes.length, 'change') }}</b>
            <ul>
              <li v-for="(one, at) in looked.changes" :key="at">
                {{ one.set }}{{ one.name ? `, ${one.name}` : '' }}: {{ one.what
                }}{{ one.now && one.what !== 'added' ? `, now ${one.now}` : '' }}
              </li>
            </ul>
            <p v-for="one in looked.touched" :key="one.id">
              Affects <RouterLink :to="`/queries/${one.id}`">{{ one.name }}</RouterLink><template
                v-if="one.dispatches.length"
                >, the {{ count(one.dispatches.length, 'dispatch', 'dispatches').replace(/^\d+ /, '') }}
                {{ one.dispatches.join(', ') }}</template
              ><template v-if="one.templates.length">, the template {{ one.templates.join(', ') }}</template
              >.
              <span v-for="(problem, at) in one.problems" :key="at" class="problem">{{ problem }}</span>
            </p>
            <p v-if="!looked.touched.length">No query uses what changed.</p>
          </template>
        </div>
        <el-input
          v-model="search"
          aria-label="Search all"
          placeholder="Search all entities and fields"
          clearable
        />
        <details v-for="{ entity, fields, ways } in found" :key="entity.set" :open="!!search || undefined">
          <summary>
            <b>{{ entity.label }}</b> <span class="code">{{ entity.set }}</span>
            <span class="quiet">{{ count(entity.fields.length, 'field') }}</span>
            <RouterLink :to="`/queries/new?connection=${chosen.id}&root=${entity.set}`">New query</RouterLink>
          </summary>
          <table>
            <tbody>
              <tr v-for="field in fields" :key="field.name">
                <td>{{ field.label }}</td>
                <td class="code">{{ field.name }}</td>
                <td class="quiet">
                  {{ typeName(field.type) }}{{ entity.key.includes(field.name) ? ', key' : '' }}
                </td>
              </tr>
              <tr v-for="way in ways" :key="way.name">
                <td>{{ way.label }}</td>
                <td class="code">{{ way.name }}</td>
                <td class="quiet">{{ way.many ? 'list of' : 'record of' }} {{ way.to }}</td>
              </tr>
            </tbody>
          </table>
        </details>
      </section>
    </div>
  </div>
</template>

<style scoped>
.desk {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 210px 330px minmax(0, 1fr);
}
nav {
  border-right: 1px solid var(--line);
}
nav a {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  padding: 8px 16px;
  text-decoration: none;
  border-left: 3px solid transparent;
}
nav a.here {
  background: var(--accent-tint);
  border-left-color: var(--accent);
}
.where {
  padding: 14px 16px;
  border-right: 1px solid var(--line);
  overflow: auto;
}
.doing {
  display: flex;
  gap: 8px;
}
.doing .el-button {
  margin: 0;
}
.query {
  margin: 2px 0;
}
.shape {
  overflow: auto;
  padding: 14px 16px;
}
.changes {
  margin-bottom: 12px;
  padding: 8px 12px;
  background: var(--attention-tint);
}
.changes ul {
  margin: 4px 0;
  padding-left: 18px;
}
.changes .problem {
  display: block;
}
details {
  border-bottom: 1px solid var(--line-2);
}
summary {
  padding: 6px 0;
  cursor: pointer;
}
summary > * {
  margin-right: 8px;
}
details table {
  margin: 0 0 8px 16px;
  border-collapse: collapse;
}
details td {
  padding: 2px 16px 2px 0;
}
</style>
