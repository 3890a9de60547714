<script setup lang="ts">
import type { Schemas } from '../api/client'
import { count } from '../api/words'

type Need = Schemas['NeedInfo']
export type Values = Record<string, unknown>
/** A form of a template's own fields; lists are rows that can be added and taken away. */
const props = defineProps<{ needs: Need[]; values: Values }>()
const emit = defineEmits<{ change: [Values] }>()

const set = (name: string, value: unknown) => emit('change', { ...props.values, [name]: value })
const text = (name: string) => {
  const value = props.values[name]
  return typeof value === 'string' || typeof value === 'number' ? String(value) : ''
}
const record = (name: string) => (props.values[name] ?? {}) as Values
const rows = (name: string) => (Array.isArray(props.values[name]) ? (props.values[name] as unknown[]) : [])
const row = (name: string, at: number) => (rows(name)[at] ?? {}) as Values
const setRow = (name: string, at: number, value: unknown) => set(name, rows(name).with(at, value))
const remove = (name: string, at: number) => set(name, rows(name).toSpliced(at, 1))
const HINTS: Record<string, string> = {
  date: '2026-11-23',
  money: '0.00',
  number: '0',
  picture: 'no picture',
}

/** A chosen picture goes in as a data URL. */
async function picture(name: string, event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  const reader = new FileReader()
  reader.onload = () => set(name, reader.result)
  reader.readAsDataURL(file)
}
</script>

<template>
  <div class="form">
    <div v-for="need in needs" :key="need.name" class="need" :class="need.used">
      <template v-if="need.used === 'list'">
        <div class="over">
          <b>{{ need.name }}</b> <span class="quiet">{{ count(rows(need.name).length, 'row') }}</span>
          <el-button
            size="small"
            :aria-label="`Add to ${need.name}`"
            @click="set(need.name, [...rows(need.name), need.within.length ? {} : ''])"
            >Add</el-button
          >
        </div>
        <div v-for="(_, at) in rows(need.name)" :key="at" class="row">
          <span class="quiet num">{{ at + 1 }}</span>
          <ValueForm
            v-if="need.within.length"
            :needs="need.within"
            :values="row(need.name, at)"
            @change="setRow(need.name, at, $event)"
          />
          <el-input
            v-else
            :model-value="String(rows(need.name)[at] ?? '')"
            :aria-label="`${need.name} ${at + 1}`"
            @update:model-value="(value: string) => setRow(need.name, at, value)"
          />
          <el-button
            size="small"
            :aria-label="`Remove row ${at + 1} of ${need.name}`"
            @click="remove(need.name, at)"
            >×</el-button
          >
        </div>
      </template>
      <template v-else-if="need.used === 'record'">
        <div class="over">
          <b>{{ need.name }}</b>
        </div>
        <div class="row">
          <ValueForm :needs="need.within" :values="record(need.name)" @change="set(need.name, $event)" />
        </div>
      </template>
      <label v-else-if="need.used === 'picture'">
        <span :title="need.name">{{ need.name }}</span>
        <span class="pick"
          ><input
            type="file"
            accept="image/*"
            :aria-label="need.name"
            @change="picture(need.name, $event)"
          /><el-button v-if="values[need.name]" size="small" @click="set(need.name, null)"
            >Remove</el-button
          ></span
        >
      </label>
      <el-checkbox
        v-else-if="need.used === 'yes/no'"
        :model-value="values[need.name] === true"
        :label="need.name"
        @update:model-value="(yes: unknown) => set(need.name, yes === true)"
      />
      <label v-else>
        <span :title="need.name">{{ need.name }}</span>
        <el-input
          :model-value="text(need.name)"
          :aria-label="need.name"
          :placeholder="HINTS[need.used] ?? 'blank'"
          @update:model-value="(value: string) => set(need.name, value || null)"
        />
      </label>
    </div>
  </div>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(220px, 1fr));
  gap: 6px 14px;
  flex: 1;
  min-width: 0;
}
.need.list,
.need.record {
  grid-column: 1 / -1;
}
label:not(.el-checkbox) {
  display: grid;
  grid-template-columns: 96px minmax(0, 1fr);
  align-items: center;
  gap: 8px;
}
label:not(.el-checkbox) > span:first-child {
  font-size: 12px;
  color: var(--ink-2);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.over {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 8px 0 4px;
}
.row {
  display: flex;
  gap: 8px;
  align-items: flex-start;
  padding: 6px 0 6px 8px;
  border-left: 2px solid var(--line);
  margin-bottom: 4px;
}
.row .num {
  width: 20px;
  padding-top: 5px;
}
.pick {
  display: flex;
  gap: 6px;
  min-width: 0;
}
.pick input {
  min-width: 0;
  font-size: 12px;
}
</style>
