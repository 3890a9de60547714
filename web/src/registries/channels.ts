import type { Component } from 'vue'

import type { Bench } from '../api/bench'
import type { Schemas } from '../api/client'
import CrmChannel from '../screens/channels/CrmChannel.vue'
import EmailChannel from '../screens/channels/EmailChannel.vue'
import FolderChannel from '../screens/channels/FolderChannel.vue'
import LinkChannel from '../screens/channels/LinkChannel.vue'
import PrintChannel from '../screens/channels/PrintChannel.vue'
import SheetChannel from '../screens/channels/SheetChannel.vue'
import WebHookChannel from '../screens/channels/WebHookChannel.vue'

export type Channel = Schemas['Channel']
export type ChannelSetup = Schemas['ChannelSetup']

/** What the screen of every channel's settings is given. */
export interface ChannelProps<Kind extends Channel['kind']> {
  bench: Bench
  channel: Extract<Channel, { kind: Kind }>
  change: (work: (channel: Extract<Channel, { kind: Kind }>) => void, soon?: boolean) => void
}

/** A kind of channel on the screen: its name, what it does, how it begins, its settings. */
export interface ChannelKind {
  kind: Channel['kind']
  name: string
  about: string
  start: (bench: Bench) => Channel
  settings: Component
}

/** The kinds of channels, in the order in which they are offered. To add one: its line here. */
export const channelKinds: ChannelKind[] = [
  {
    kind: 'email',
    name: 'E-mail',
    about: 'Send the documents as attachments',
    start: (bench) => {
      const address = bench.columns.find((c) => c.type === 'e-mail')?.name
      const to = address ? `[: ${address}]` : ''
      const body = 'Please find the document attached.\n'
      return {
        kind: 'email',
        from: '',
        reply_to: '',
        to,
        cc: '',
        bcc: '',
        template: null,
        subject: bench.name,
        body,
        html: '',
        files: [],
        link_above: null,
        link_note: '',
        unsubscribe: '',
        attach: true,
      }
    },
    settings: EmailChannel,
  },
  {
    kind: 'folder',
    name: 'Folder',
    about: 'Save the documents as files on this machine',
    start: (bench) => ({ kind: 'folder', folder: bench.folders[0] ?? '', path: '', clash: 'number' }),
    settings: FolderChannel,
  },
  {
    kind: 'link',
    name: 'Share link',
    about: 'Put the documents on a page that opens by its link',
    start: () => ({ kind: 'link', passcode: '', days: 30, openings: null, download: true }),
    settings: LinkChannel,
  },
  {
    kind: 'print',
    name: 'Print',
    about: 'Print the documents on an office printer',
    start: (bench) => ({
      kind: 'print',
      printer: bench.printers[0]?.name ?? '',
      copies: 1,
      sides: 'one-sided',
      paper: '',
      tray: '',
      order: '',
      together: false,
    }),
    settings: PrintChannel,
  },
  {
    kind: 'web-hook',
    name: 'Web hook',
    about: 'Tell another program with a signed HTTP request',
    start: () => ({ kind: 'web-hook', url: '', documents: 'names', values: [] }),
    settings: WebHookChannel,
  },
  {
    kind: 'crm',
    name: 'CRM',
    about: 'Attach the documents to the CRM record, leave a note, set fields',
    start: (bench) => ({ kind: 'crm', attach: bench.crm?.attach[0] ?? null, note: null, fields: [] }),
    settings: CrmChannel,
  },
  {
    kind: 'sheet',
    name: 'Sheet columns',
    about: 'Write the outcome into the record’s row',
    start: () => ({ kind: 'sheet', state: 'Delivery', time: 'Sent on', values: [] }),
    settings: SheetChannel,
  },
]

export const channelKind = (kind: string) => channelKinds.find((one) => one.kind === kind)
/** What a channel is called. */
export const channelName = (setup: ChannelSetup) =>
  setup.name.trim() || (channelKind(setup.channel.kind)?.name ?? setup.channel.kind)
/** The channels that are in use, in words. */
export const channelsInWords = (bench: Bench) =>
  bench.setup.channels
    .filter((c) => c.on)
    .map(channelName)
    .join(', ')
