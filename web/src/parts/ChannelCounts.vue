<script setup lang="ts">
import { ref } from 'vue'
import { watchThrottled } from '@vueuse/core'

import { api, ask, attempt, type Schemas } from '../api/client'
import StateWord from './StateWord.vue'

/** What has become of a run over each of its channels, where it has several. */
const props = defineProps<{ run: Schemas['RunInfo'] }>()
const all = ref<Schemas['ChannelCounts'][]>([])

async function load() {
  const id = props.run.id
  const found = await attempt(() => ask(api.GET('/api/runs/{id}/channels', { params: { path: { id } } })))
  if (found && id === props.run.id) all.value = found
}
// A run changes with every delivery: once a second is enough to follow it.
watchThrottled(() => props.run, load, { immediate: true, throttle: 1000 })
</script>

<template>
  <dl v-if="all.length > 1" class="channel-counts" aria-label="Deliveries by channel">
    <div v-for="(one, at) in all" :key="at">
      <dt>{{ one.name || 'To signers' }}</dt>
      <dd v-for="state in one.states" :key="state.state">
        {{ state.count }} <StateWord :state="state.state" />
      </dd>
    </div>
  </dl>
</template>

<style scoped>
.channel-counts {
  flex: none;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 28px;
  margin: 0;
  padding: 7px 16px;
  border-bottom: 1px solid var(--line);
}
.channel-counts div {
  display: flex;
  align-items: baseline;
  gap: 8px;
}
dt {
  font-weight: 600;
}
dd {
  margin: 0;
}
</style>
