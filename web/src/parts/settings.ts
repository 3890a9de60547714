/** The groups of the settings: their headings, and what is set there in words that are searched for. */
export const SETTINGS = {
  office: { title: 'Office', about: 'name, e-mail address, logo' },
  you: { title: 'You', about: 'your name and e-mail address, run summaries' },
  language: { title: 'Language, currency and time', about: 'time zone' },
  pictures: { title: 'Pictures', about: 'allowed websites' },
  signing: { title: 'Signing', about: 'timestamp authority' },
  senders: { title: 'More senders', about: 'reply-to, signature' },
  printers: { title: 'Printers', about: 'trays, paper' },
  mailServer: { title: 'Mail server', about: 'SMTP, sign-in, limits, bounces' },
  seal: { title: 'Seal', about: 'key and certificate' },
  webHooks: { title: 'Web hooks', about: 'hosts, secrets' },
  fonts: { title: 'Fonts', about: 'upload fonts' },
  buckets: { title: 'Buckets', about: 'S3 storage' },
} as const
