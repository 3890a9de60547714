<script setup lang="ts">
import { computed } from 'vue'

import type { Bench, Cause } from '../api/bench'
import { stationOf } from '../api/diagnostics'
import { count, grouped, shortDay } from '../api/words'
import { channelsInWords } from '../registries/channels'
import { triggerKind } from '../registries/triggers'

/** The steps of a dispatch in working order, each with its state in a word. */
const props = defineProps<{ bench: Bench; causes: Cause[] | undefined; wrong: number; at: string }>()

interface Station {
  key: string
  name: string
  state: string
  tone: 'done' | 'open' | 'bad' | ''
  line: string
  mono?: boolean
}

const stations = computed<Station[]>(() => {
  const b = props.bench
  const setup = b.setup
  const open = b.ties.filter((t) => !t.column).length
  const rows = props.wrong
  const used = setup.channels.filter((c) => c.on)
  const triggers = setup.triggers.filter((t) => t.on)
  const obstacles = (station: string) => b.obstacles.filter((o) => stationOf(o) === station).length
  const last = b.runs.find((r) => r.kind === 'run')
  return [
    {
      key: 'template',
      name: 'Template',
      state: b.template_problems
        ? count(b.template_problems, 'problem')
        : b.template
          ? `v${b.template.version}`
          : 'None',
      tone: b.template_problems ? 'bad' : b.template ? 'done' : 'open',
      line: setup.rules.length
        ? `${count(setup.rules.length, 'rule')}, ${b.template?.name ?? ''}`
        : b.template
          ? b.template.name
          : 'Choose one or drop a DOCX',
    },
    {
      key: 'records',
      name: 'Records',
      state: b.sheet ? grouped(b.records.length) : 'None',
      tone: b.filter_problem ? 'bad' : b.sheet ? 'done' : 'open',
      line: b.sheet
        ? [b.sheet.name, setup.filter].filter(Boolean).join(', ')
        : 'Choose a source or drop a file',
    },
    {
      key: 'mapping',
      name: 'Mapping',
      state: open ? `${open} not mapped` : b.ties.length ? 'All mapped' : 'None',
      tone: open ? 'open' : b.ties.length ? 'done' : '',
      line: `${b.ties.length - open} of ${count(b.ties.length, 'name')} mapped`,
    },
    {
      key: 'output',
      name: 'Output',
      state: setup.formats.map((f) => f.toUpperCase()).join(', ') || 'None',
      tone: obstacles('output') ? 'open' : 'done',
      line: setup.name,
      mono: true,
    },
    {
      key: 'signing',
      name: 'Signing',
      state: setup.signing.on ? count(setup.signing.roles.length, 'role') : 'Off',
      tone: obstacles('signing') ? 'open' : setup.signing.on ? 'done' : '',
      line: setup.signing.on
        ? setup.signing.roles.map((role) => role.role).join(', then ')
        : 'Documents are not signed',
    },
    {
      key: 'channels',
      name: 'Channels',
      state: used.length ? String(used.length) : 'None',
      tone: obstacles('channels') ? 'open' : used.length ? 'done' : '',
      line: channelsInWords(b) || 'Documents stored here only',
    },
    {
      key: 'trigger',
      name: 'Trigger',
      state: triggers.length ? count(triggers.length, 'trigger') : 'By hand',
      tone: triggers.length ? 'done' : '',
      line: triggers.map((t) => triggerKind(t.trigger.kind)?.name ?? '').join(', ') || 'You start each run',
    },
    {
      key: 'preflight',
      name: 'Preflight',
      state: rows ? count(rows, 'finding') : props.causes && !b.obstacles.length ? 'No findings' : 'Waiting',
      tone: rows ? 'bad' : props.causes && !b.obstacles.length ? 'done' : '',
      line: setup.left_out.length ? `${setup.left_out.length} left out` : 'Checks every record',
    },
    {
      key: 'run',
      name: 'Run',
      state: b.obstacles.length || rows || !props.causes ? 'Blocked' : 'Ready',
      tone: '',
      line: last
        ? `Last run ${shortDay(last.started)}, ${last.delivered} ${last.sends ? 'delivered' : 'stored'}`
        : 'Never run',
    },
  ]
})
</script>

<template>
  <nav class="stations" aria-label="Steps">
    <RouterLink
      v-for="one in stations"
      :key="one.key"
      :to="{ path: `/dispatches/${bench.key}/${one.key}`, query: $route.query }"
      :class="[one.tone, { here: one.key === at }]"
    >
      <i /><b>{{ one.name }}</b>
      <span
        :title="one.state"
        :class="one.tone === 'open' ? 'say att' : one.tone === 'bad' ? 'say wrong' : 'quiet'"
        >{{ one.state }}</span
      >
      <small :class="{ code: one.mono }" :title="one.line">{{ one.line }}</small>
    </RouterLink>
  </nav>
</template>

<style scoped>
.stations {
  border-right: 1px solid var(--line);
  padding: 10px 0;
  overflow: auto;
}
.stations a {
  display: grid;
  grid-template-columns: 30px auto minmax(0, 1fr);
  padding: 7px 12px 7px 0;
  align-items: baseline;
  border-left: 2px solid transparent;
  text-decoration: none;
}
.stations a:hover {
  background: var(--head);
}
.stations a.here {
  background: var(--sheet);
  border-left-color: var(--accent);
}
b {
  font-weight: 600;
}
.stations span {
  justify-self: end;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
small {
  grid-column: 2 / 4;
  color: var(--ink-2);
  font-size: 12px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
i {
  justify-self: center;
  align-self: center;
  width: 9px;
  height: 11px;
  border: 1.5px solid var(--ink-2);
  clip-path: polygon(0 0, 65% 0, 100% 30%, 100% 100%, 0 100%);
}
.done i {
  background: var(--ink-2);
}
.open i {
  border-color: var(--attention);
  background: var(--attention);
}
.bad i {
  border-color: var(--wrong);
  background: var(--wrong);
}
/* A narrow rail: the state goes below the name. */
@media (max-width: 1100px) {
  .stations a {
    grid-template-columns: 26px minmax(0, 1fr);
  }
  .stations span,
  small {
    grid-column: 2;
    justify-self: start;
    max-width: 100%;
  }
}
</style>
