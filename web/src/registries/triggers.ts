import type { Component } from 'vue'

import type { Bench } from '../api/bench'
import type { Schemas } from '../api/client'
import AnswerTrigger from '../screens/triggers/AnswerTrigger.vue'
import CallTrigger from '../screens/triggers/CallTrigger.vue'
import CrmTrigger from '../screens/triggers/CrmTrigger.vue'
import ScheduleTrigger from '../screens/triggers/ScheduleTrigger.vue'

export type Trigger = Schemas['Trigger']
export type TriggerSetup = Schemas['TriggerSetup']

/** What the screen of every trigger's settings is given. */
export interface TriggerProps<Kind extends Trigger['kind']> {
  bench: Bench
  trigger: Extract<Trigger, { kind: Kind }>
  info: Schemas['TriggerInfo'] | undefined
  change: (work: (trigger: Extract<Trigger, { kind: Kind }>) => void, soon?: boolean) => void
}

/** A kind of trigger on the screen: its name, what it does, how it begins, its settings. */
export interface TriggerKind {
  kind: Trigger['kind']
  name: string
  about: string
  start: () => Trigger
  settings: Component
}

/** The kinds of triggers, in the order in which they are offered. To add one: its line here. */
export const triggerKinds: TriggerKind[] = [
  {
    kind: 'answer',
    name: 'Form answer',
    about: 'Make the document of each new answer',
    start: () => ({ kind: 'answer', condition: '' }),
    settings: AnswerTrigger,
  },
  {
    kind: 'schedule',
    name: 'Schedule',
    about: 'Run every day, week or month',
    start: () => ({
      kind: 'schedule',
      every: { unit: 'month', day: 1 },
      time: '08:00',
      missed: 'catch-up',
    }),
    settings: ScheduleTrigger,
  },
  {
    kind: 'crm',
    name: 'CRM change',
    about: 'Make the document of a record that comes to meet a condition',
    start: () => ({ kind: 'crm', condition: '', minutes: 5 }),
    settings: CrmTrigger,
  },
  {
    kind: 'call',
    name: 'API call',
    about: 'Let another program ask for documents',
    start: () => ({ kind: 'call', again: false }),
    settings: CallTrigger,
  },
]

export const triggerKind = (kind: string) => triggerKinds.find((one) => one.kind === kind)
