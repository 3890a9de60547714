import { onUnmounted, ref, watch } from 'vue'

import type { Schemas } from '../api/client'

/** Addresses of pages as pictures, for as long as they are shown. */
export function usePageUrls(pages: () => Schemas['SvgPage'][]) {
  const urls = ref<string[]>([])
  const free = () => urls.value.forEach((url) => URL.revokeObjectURL(url))
  watch(
    pages,
    (own) => {
      free()
      urls.value = own.map((page) => URL.createObjectURL(new Blob([page.svg], { type: 'image/svg+xml' })))
    },
    { immediate: true },
  )
  onUnmounted(free)
  return urls
}
