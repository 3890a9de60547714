<script setup lang="ts">
import type { Schemas } from '../../api/client'
import { fold } from '../../api/design'
import { placeOf } from '../../api/diagnostics'
import { count } from '../../api/words'
import NeedList from '../../parts/NeedList.vue'
import OutlineList from '../../parts/OutlineList.vue'
import Spot from '../../parts/Spot.vue'

/** What a template decides, what it needs, and what is wrong in it. */
const props = defineProps<{ template: Schemas['TemplateDetail']; chosen: number[] }>()
const emit = defineEmits<{ choose: [number[]] }>()

function placeholdersOf(name: string) {
  const found = props.template.placeholders.flatMap((p, index) =>
    p.names.some((n) => fold(n) === fold(name)) ? [index] : [],
  )
  emit('choose', found)
}
function placeholdersLike(text: string) {
  emit(
    'choose',
    props.template.placeholders.flatMap((p, index) => (p.text === text ? [index] : [])),
  )
}
</script>

<template>
  <template v-if="template.problems.length">
    <h2>
      Problems <span class="say wrong">{{ template.problems.length }}</span>
    </h2>
    <p>Fix these in the file and upload it again. Until then this version can’t be used.</p>
    <ul class="problems">
      <li v-for="(problem, index) in template.problems" :key="index">
        <button type="button" @click="placeholdersLike(problem.source)">
          <Spot :text="problem.source" :start="problem.span?.start ?? 0" :end="problem.span?.end ?? 0" />
        </button>
        <div>{{ problem.message }} {{ problem.help }}</div>
        <div class="quiet">{{ placeOf(problem).place }}: {{ placeOf(problem).line }}</div>
      </li>
    </ul>
  </template>
  <p v-for="said in template.told" :key="said" class="told">{{ said }}</p>
  <h2>Logic</h2>
  <p v-if="!template.outline.length" class="quiet">
    This file has no placeholders. For example, write
    <span class="code">[: last name]</span> where a value should appear.
  </p>
  <OutlineList v-else :lines="template.outline" :chosen="chosen" @choose="emit('choose', [$event])" />
  <template v-if="template.needs.length">
    <h2>
      Required fields <span class="quiet">{{ count(template.needs.length, 'field') }}</span>
    </h2>
    <NeedList :needs="template.needs" @choose="placeholdersOf" />
  </template>
</template>

<style scoped>
h2:not(:first-child) {
  margin: 18px 0 6px;
}
.problems {
  list-style: none;
  padding: 0;
  margin: 0;
}
.problems li {
  border-left: 2px solid var(--wrong);
  padding: 6px 10px;
  margin-bottom: 8px;
  background: var(--sheet);
}
.problems button {
  border: 0;
  background: none;
  padding: 0;
  cursor: pointer;
  text-align: left;
}
.told {
  border-left: 2px solid var(--line);
  padding: 4px 10px;
}
</style>
