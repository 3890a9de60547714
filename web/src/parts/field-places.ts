import { computed, type Ref } from 'vue'

import type { Schemas } from '../api/client'

/** A tenth of a millimetre in points. */
const TENTH = 72 / 254

/** Where signature fields are on the pages of a PDF, and how they are moved. */
export function useFieldPlaces(
  fields: Ref<Schemas['FixedField'][]>,
  placed: Ref<Schemas['PlacedField'][]>,
  pages: Ref<Schemas['SvgPage'][]>,
) {
  /** Where fields are, in points, page by page; one with a marker text is at each place of that. */
  const ofPage = computed(() =>
    pages.value.map((_, page) =>
      fields.value.flatMap((field, at) => {
        const places = field.marker
          ? (placed.value[at]?.markers ?? [])
          : [{ page: field.page, left: 0, top: 0 }]
        return places
          .filter((own) => own.page === page + 1)
          .map((own) => ({ at, left: own.left + field.left * TENTH, top: own.top + field.top * TENTH }))
      }),
    ),
  )
  function style({ at, left, top }: { at: number; left: number; top: number }, page: Schemas['SvgPage']) {
    const { width, height } = placed.value[at] ?? { width: 0, height: 0 }
    const part = (length: number, whole: number) => `${(length / whole) * 100}%`
    return {
      left: part(left, page.width),
      top: part(top, page.height),
      width: part(width || 60, page.width),
      height: part(height || 20, page.height),
    }
  }

  /** Moves a field, in tenths of a millimetre; one placed by hand stays on its page. */
  function put(at: number, { left, top }: { left: number; top: number }) {
    const [field, size] = [fields.value[at], placed.value[at]]
    if (!field) return
    const page = pages.value[field.page - 1]
    const within = (length: number, whole: number, own = 0) =>
      Math.min(Math.max(0, length), Math.max(0, Math.floor((whole - own) / TENTH)))
    const free = !!field.marker || !page
    field.left = free ? Math.round(left) : within(Math.round(left), page.width, size?.width)
    field.top = free ? Math.round(top) : within(Math.round(top), page.height, size?.height)
  }
  /** An arrow key moves a field a millimetre; with Shift a centimetre, with Alt a tenth. */
  function nudge(event: KeyboardEvent, at: number) {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key]
    const field = fields.value[at]
    if (!by || !field) return
    event.preventDefault()
    const step = event.shiftKey ? 100 : event.altKey ? 1 : 10
    put(at, { left: field.left + (by[0] ?? 0) * step, top: field.top + (by[1] ?? 0) * step })
  }
  function drag(event: PointerEvent, at: number) {
    const [own, field] = [event.currentTarget as HTMLElement, fields.value[at]]
    const sheet = own.parentElement?.getBoundingClientRect()
    const number = field?.marker ? placed.value[at]?.markers[0]?.page : field?.page
    const page = pages.value[(number ?? 1) - 1]
    if (!field || !sheet || !page) return
    own.setPointerCapture(event.pointerId)
    const tenths = page.width / sheet.width / TENTH
    const from = { x: event.clientX, y: event.clientY, left: field.left, top: field.top }
    own.onpointermove = (now) =>
      put(at, {
        left: from.left + (now.clientX - from.x) * tenths,
        top: from.top + (now.clientY - from.y) * tenths,
      })
    own.onpointerup = () => (own.onpointermove = null)
  }

  return { ofPage, style, put, nudge, drag }
}
