<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import type { Bench } from '../../api/bench'
import { api, ask, attempt, type Schemas } from '../../api/client'
import { said, stationOf } from '../../api/diagnostics'
import FormLine from '../../parts/FormLine.vue'
import FormulaInput from '../../parts/FormulaInput.vue'
import Group from '../../parts/Group.vue'
import MessageText from '../../parts/MessageText.vue'

/** Who signs the documents, in which order, and what they are told. */
const props = defineProps<{
  bench: Bench
  change: (work: (bench: Bench) => void, soon?: boolean) => void
}>()
type Signing = Schemas['SigningSetup']
type Role = Schemas['SignerRole']

const signing = computed(() => props.bench.setup.signing)
const set = (work: (signing: Signing) => void, soon?: boolean) =>
  props.change((b) => work(b.setup.signing), soon)
const setRole = (at: number, work: (role: Role) => void, soon?: boolean) =>
  set((s) => {
    const role = s.roles[at]
    if (role) work(role)
  }, soon)

function addRole() {
  const column = (type: string) => props.bench.columns.find((one) => one.type === type)?.name
  const email = column('e-mail')
  set((s) => {
    const step = Math.max(0, ...s.roles.map((role) => role.step)) + 1
    const person = {
      name: '',
      email: email && !s.roles.length ? `[: ${email}]` : '',
      language: '',
      phone: '',
    }
    s.roles.push({ role: s.roles.length ? '' : 'holder', step, condition: '', people: [person] })
  })
}
const addPerson = (at: number) =>
  setRole(at, (role) => role.people.push({ name: '', email: '', language: '', phone: '' }))

/** Those of the office who can sign: the person, the office itself and its senders. */
const members = ref<{ name: string; address: string }[]>([])
onMounted(() =>
  attempt(async () => {
    const office = await ask(api.GET('/api/settings'))
    const own = [
      { name: office.person_name ?? '', address: office.person_email },
      { name: office.office_name ?? '', address: office.office_email },
    ]
    const senders = office.senders.map(({ name = '', address }) => ({ name, address }))
    const all = [...own, ...senders]
    members.value = all.filter((one) => one.name && one.address)
  }),
)
const memberOf = (person: Schemas['SignerSetup']) =>
  members.value.find((one) => one.name === person.name && one.address === person.email)?.name ?? ''
function setMember(at: number, one: number, name: string) {
  const member = members.value.find((own) => own.name === name)
  setRole(at, (role) => Object.assign(role.people[one]!, { name, email: member?.address ?? '' }))
}

const days = (text: string) =>
  text
    .split(/[,; ]+/)
    .map(Number)
    .filter((n) => Number.isInteger(n) && n > 0)

const MESSAGES = [
  ['invitation', 'Invitation'],
  ['reminder', 'Reminder'],
  ['completion', 'Completion'],
] as const
const LANGUAGES = [
  ['en', 'English'],
  ['de', 'German'],
  ['fr', 'French'],
  ['nl', 'Dutch'],
] as const
const written = (text: Schemas['MessageText']) => !!(text.subject || text.body || text.html)
</script>

<template>
  <h2>Signing</h2>
  <p v-if="!signing.on">
    Documents are not signed. Switch signing on to have them signed electronically before other channels
    deliver them.
  </p>
  <el-switch
    :model-value="signing.on"
    active-text="Signing on"
    aria-label="Signing on"
    @change="(on) => set((s) => (s.on = on === true))"
  />
  <template v-if="signing.on">
    <Group v-for="(role, at) in signing.roles" :key="at" :title="role.role || 'New signer role'">
      <FormLine label="Role" about="As in the template’s fields: [:signer holder signature]">
        <el-input
          :model-value="role.role"
          @update:model-value="(text: string) => setRole(at, (r) => (r.role = text), true)"
        />
      </FormLine>
      <FormLine label="Step" about="Roles with the same step sign in any order.">
        <el-input-number
          :model-value="role.step"
          :min="1"
          :max="20"
          :aria-label="`Step of ${role.role}`"
          @change="(v: number | undefined) => setRole(at, (r) => (r.step = v ?? 1))"
        />
      </FormLine>
      <template v-for="(person, one) in role.people" :key="one">
        <p v-if="role.people.length > 1" class="wide quiet">
          Person {{ one + 1 }} of {{ role.people.length }}: any one of them can sign.
          <el-button text @click="setRole(at, (r) => r.people.splice(one, 1))">Remove</el-button>
        </p>
        <FormLine v-if="members.length" label="Member of the office" about="Fills in name and address.">
          <el-select
            :model-value="memberOf(person) || undefined"
            :aria-label="`Member of the office for ${role.role}`"
            placeholder="None"
            clearable
            @change="(name?: string) => setMember(at, one, name ?? '')"
          >
            <el-option v-for="own in members" :key="own.name" :value="own.name" :label="own.name" />
          </el-select>
        </FormLine>
        <FormLine label="Name">
          <el-input
            class="code"
            :model-value="person.name"
            placeholder="[: first name] [: last name]"
            @update:model-value="(text: string) => setRole(at, (r) => (r.people[one]!.name = text), true)"
          />
        </FormLine>
        <FormLine label="E-mail address">
          <el-input
            class="code"
            :model-value="person.email"
            placeholder="[: e-mail]"
            @update:model-value="(text: string) => setRole(at, (r) => (r.people[one]!.email = text), true)"
          />
        </FormLine>
        <FormLine label="Language" about="Blank for that of the document.">
          <el-input
            class="code"
            :model-value="person.language"
            placeholder="[: language]"
            @update:model-value="(text: string) => setRole(at, (r) => (r.people[one]!.language = text), true)"
          />
        </FormLine>
        <FormLine label="Telephone" about="To tell the passcode another way.">
          <el-input
            class="code"
            :model-value="person.phone"
            @update:model-value="(text: string) => setRole(at, (r) => (r.people[one]!.phone = text), true)"
          />
        </FormLine>
      </template>
      <FormLine class="wide" label="Condition" about="Blank for every record. Example: fee > 10000">
        <FormulaInput
          :model-value="role.condition"
          :sheet="bench.sheet_id ?? undefined"
          :label="`Condition of ${role.role}`"
          @update:model-value="(text: string) => setRole(at, (r) => (r.condition = text), true)"
        />
      </FormLine>
      <p class="wide acts">
        <el-button @click="addPerson(at)">Add another person</el-button>
        <el-button text @click="set((s) => s.roles.splice(at, 1))">Remove role</el-button>
      </p>
    </Group>
    <p><el-button @click="addRole">Add signer role</el-button></p>
    <Group
      title="Rules"
      fold
      :says="`reminders after ${signing.reminders.join(', ') || 'no'} days, ends ${signing.ends_after ? `after ${signing.ends_after} days` : 'never'}`"
    >
      <FormLine
        label="Remind after days"
        about="Days after the invitation, e.g. 3, 7. Blank for no reminders."
      >
        <el-input
          :model-value="signing.reminders.join(', ')"
          @change="(text: string) => set((s) => (s.reminders = days(text)))"
        />
      </FormLine>
      <FormLine label="Ends after days" about="Blank for no end.">
        <el-input-number
          :model-value="signing.ends_after ?? undefined"
          :min="1"
          :max="366"
          :controls="false"
          aria-label="Ends after days"
          @change="(v: number | undefined) => set((s) => (s.ends_after = v ?? null))"
        />
      </FormLine>
      <FormLine label="Passcode" about="Blank for none. A field, e.g. [: ref]; tell it another way.">
        <el-input
          class="code"
          :model-value="signing.passcode"
          @update:model-value="(text: string) => set((s) => (s.passcode = text), true)"
        />
      </FormLine>
      <FormLine group label="Signers can">
        <el-checkbox :model-value="signing.hand_on" @change="(on) => set((s) => (s.hand_on = on === true))"
          >Have somebody else sign</el-checkbox
        >
        <el-checkbox
          :model-value="!signing.no_declining"
          @change="(on) => set((s) => (s.no_declining = on !== true))"
          >Decline</el-checkbox
        >
      </FormLine>
    </Group>
    <Group
      v-for="[key, name] in MESSAGES"
      :key="key"
      :title="name"
      fold
      :says="written(signing[key]) ? signing[key].subject : 'standard message'"
    >
      <p class="wide quiet">
        Blank for the standard message. [: signer.name], [: signer.role] and [: signer.link] are filled in for
        each signer.
      </p>
      <MessageText
        :bench="bench"
        :text="signing[key]"
        :change="(work, soon) => set((s) => work(s[key]), soon)"
      />
    </Group>
    <Group
      title="Consent"
      fold
      :says="Object.keys(signing.consent).length ? 'own wording' : 'standard wording'"
    >
      <FormLine v-for="[tag, name] in LANGUAGES" :key="tag" class="wide" :label="name">
        <el-input
          :model-value="signing.consent[tag] ?? ''"
          placeholder="Standard wording"
          @update:model-value="
            (text: string) =>
              set((s) => {
                if (text) s.consent[tag] = text
                else delete s.consent[tag]
              }, true)
          "
        />
      </FormLine>
    </Group>
  </template>
  <p v-for="o in bench.obstacles.filter((o) => stationOf(o) === 'signing')" :key="said(o)" class="problem">
    {{ said(o) }}
  </p>
</template>

<style scoped>
.acts {
  display: flex;
  gap: 8px;
  margin: 0;
}
</style>
