<script setup lang="ts">
import type { Bench, Setup } from '../api/bench'
import type { Schemas } from '../api/client'
import { count } from '../api/words'
import FormulaInput from './FormulaInput.vue'

/** Which template a record takes: the first rule that is true. */
const props = defineProps<{
  bench: Bench
  templates: Schemas['TemplateInfo'][]
  change: (work: (bench: Bench) => void, soon?: boolean) => void
}>()

type Rule = Setup['rules'][number]
const OTHERWISE: [Setup['otherwise'], string][] = [
  ['template', 'The template above'],
  ['nothing', 'No document'],
  ['finding', 'A finding in preflight'],
]
const setRules = (work: (rules: Rule[]) => void, soon = false) =>
  props.change((b) => work(b.setup.rules), soon)
/** A new rule changes nothing until it has a condition. */
function add() {
  const id = props.bench.template_id
  setRules((rules) => rules.push({ condition: '', template: id ? { id, version: null } : null }))
}
function move(at: number, by: number) {
  setRules((rules) => rules.splice(at + by, 0, ...rules.splice(at, 1)))
}
function choose(at: number, id: number) {
  setRules((rules) => {
    const rule = rules[at]
    if (rule) rule.template = id ? { id, version: null } : null
  })
}
const write = (at: number, condition: string) =>
  setRules((rules) => {
    const rule = rules[at]
    if (rule) rule.condition = condition
  }, true)
const taken = (at: number) => {
  const number = props.bench.taken_by_rules[at]
  return number === undefined ? '' : count(number, 'record')
}
</script>

<template>
  <h3>Templates by rule</h3>
  <p v-if="!bench.setup.rules.length" class="quiet">
    Every record takes the template above. Add a rule to use another template for some records.
  </p>
  <ol v-else>
    <li v-for="(rule, at) in bench.setup.rules" :key="at">
      <div class="rule">
        <FormulaInput
          :model-value="rule.condition"
          :sheet="bench.sheet_id ?? undefined"
          :label="`Condition of rule ${at + 1}`"
          @update:model-value="(text: string) => write(at, text)"
        />
        <el-select
          :model-value="rule.template?.id ?? 0"
          :aria-label="`Template of rule ${at + 1}`"
          @change="(id: number) => choose(at, id)"
        >
          <el-option :value="0" label="No document" />
          <el-option v-for="one in templates" :key="one.id" :value="one.id" :label="one.name" />
        </el-select>
      </div>
      <div class="foot">
        <span class="quiet">{{ taken(at) }}</span>
        <span class="push" />
        <el-button text :disabled="!at" :aria-label="`Move rule ${at + 1} up`" @click="move(at, -1)"
          >Up</el-button
        >
        <el-button
          text
          :disabled="at === bench.setup.rules.length - 1"
          :aria-label="`Move rule ${at + 1} down`"
          @click="move(at, 1)"
          >Down</el-button
        >
        <el-button
          text
          :aria-label="`Remove rule ${at + 1}`"
          @click="setRules((rules) => rules.splice(at, 1))"
          >Remove</el-button
        >
      </div>
    </li>
  </ol>
  <div v-if="bench.setup.rules.length" class="field">
    <span>All other records</span>
    <el-select
      :model-value="bench.setup.otherwise"
      aria-label="All other records"
      @change="(value: Setup['otherwise']) => change((b) => (b.setup.otherwise = value))"
    >
      <el-option v-for="[value, label] in OTHERWISE" :key="value" :value="value" :label="label" />
    </el-select>
    <small class="quiet">{{ taken(bench.setup.rules.length) }}</small>
  </div>
  <el-button @click="add">Add rule</el-button>
</template>

<style scoped>
h3 {
  margin: 20px 0 6px;
}
ol {
  margin: 0 0 8px;
  padding-left: 20px;
}
li {
  margin-bottom: 8px;
}
.rule {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 180px;
  gap: 8px;
}
.foot {
  display: flex;
  align-items: center;
}
.foot .el-button {
  margin: 0 0 0 12px;
}
</style>
