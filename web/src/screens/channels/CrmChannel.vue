<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../../api/client'
import FormLine from '../../parts/FormLine.vue'
import type { ChannelProps } from '../../registries/channels'

/** The settings of the CRM channel. */
const props = defineProps<ChannelProps<'crm'>>()
const crm = computed(() => props.bench.crm)

type AttachTo = Schemas['AttachTo']
type NoteTo = Schemas['NoteTo']

/** The places that are offered, and the one that is set. */
const attachPlaces = computed(() => places(crm.value?.attach, props.channel.attach ?? undefined))
const notePlaces = computed(() => places(crm.value?.notes, props.channel.note?.to))
const places = <T extends { set: string }>(offered: T[] | undefined, own: T | undefined) => {
  const all = offered ?? []
  return own && !all.some((one) => one.set === own.set) ? [own, ...all] : all
}
const fields = computed(() => crm.value?.fields ?? [])
const label = (field: string) => fields.value.find((one) => one.name === field)?.label ?? field
const hints: Record<string, string> = {
  text: 'Text with placeholders',
  number: 'e.g. total * 2',
  'yes-no': 'e.g. true, or total > 0',
  date: 'e.g. today',
  moment: 'e.g. now',
}

const setAttach = (to: AttachTo | undefined) => props.change((c) => (c.attach = to ? { ...to } : null))
const setNote = (to: NoteTo | undefined) =>
  props.change((c) => {
    if (!to) c.note = null
    else if (c.note) c.note.to = { ...to }
    else c.note = { to: { ...to }, text: '[: dispatch.name] of [: today]', deliveries: true }
  })
const choose = (at: number, name: string) =>
  props.change((c) => {
    const one = c.fields[at]
    const field = fields.value.find((own) => own.name === name)
    if (one && field) Object.assign(one, { field: field.name, type: field.type })
  })
const add = () => {
  const free = fields.value.find((one) => !props.channel.fields.some((own) => own.field === one.name))
  props.change((c) => c.fields.push({ field: free?.name ?? '', type: free?.type ?? 'text', value: '' }))
}
</script>

<template>
  <p class="wide quiet">
    {{
      crm
        ? `Written onto the record of “${crm.root}” in ${crm.name}, once its other deliveries have ended.`
        : 'The records don’t come from a CRM. Choose a CRM query as the source.'
    }}
  </p>
  <FormLine label="Attach documents" about="The entity that documents of a record are stored as.">
    <el-select
      :model-value="channel.attach?.set"
      placeholder="No"
      clearable
      aria-label="Attach documents"
      @change="(set: string | undefined) => setAttach(attachPlaces.find((one) => one.set === set))"
    >
      <el-option v-for="one in attachPlaces" :key="one.set" :value="one.set" :label="`As ${one.set}`" />
    </el-select>
  </FormLine>
  <FormLine label="Leave a note" about="The entity that notes on a record are stored as.">
    <el-select
      :model-value="channel.note?.to.set"
      placeholder="No"
      clearable
      aria-label="Leave a note"
      @change="(set: string | undefined) => setNote(notePlaces.find((one) => one.set === set))"
    >
      <el-option v-for="one in notePlaces" :key="one.set" :value="one.set" :label="`As ${one.set}`" />
    </el-select>
  </FormLine>
  <FormLine v-if="channel.note" class="wide" label="Note">
    <el-input
      type="textarea"
      :autosize="{ minRows: 2, maxRows: 6 }"
      name="note"
      :model-value="channel.note.text"
      @update:model-value="(text: string) => change((c) => c.note && (c.note.text = text), true)"
    />
  </FormLine>
  <FormLine v-if="channel.note" group class="wide" label="Deliveries">
    <el-checkbox
      :model-value="channel.note.deliveries"
      @change="(on) => change((c) => c.note && (c.note.deliveries = on === true))"
      >Add a line for each other delivery of the record</el-checkbox
    >
  </FormLine>
  <FormLine
    group
    class="wide"
    label="Set fields"
    about="Not set while another delivery of the record has failed or is uncertain."
  >
    <div v-for="(one, at) in channel.fields" :key="at" class="set">
      <el-select
        :model-value="one.field || undefined"
        placeholder="Field"
        :aria-label="`Field ${at + 1}`"
        filterable
        @change="(name: string) => choose(at, name)"
      >
        <el-option v-for="field in fields" :key="field.name" :value="field.name" :label="field.label" />
      </el-select>
      <el-input
        class="code"
        :model-value="one.value"
        :placeholder="hints[one.type]"
        :aria-label="`Value of ${label(one.field)}`"
        @update:model-value="
          (text: string) =>
            change((c) => {
              const own = c.fields[at]
              if (own) own.value = text
            }, true)
        "
      />
      <el-button
        text
        :aria-label="`Remove field ${label(one.field)}`"
        @click="change((c) => c.fields.splice(at, 1))"
        >Remove</el-button
      >
    </div>
    <div>
      <el-button :disabled="!fields.length" @click="add">Add field</el-button>
    </div>
  </FormLine>
</template>

<style scoped>
.set {
  display: flex;
  gap: 8px;
  margin-bottom: 6px;
}
.set > :first-child {
  flex: 0 0 220px;
}
</style>
