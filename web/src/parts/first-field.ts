import { useTemplateRef } from 'vue'

/** Where a dialog begins: for its `open-auto-focus`, so that what is typed goes into the
 * field of `ref="first"`. The dialog itself takes the focus first. */
export function useFirstField() {
  const field = useTemplateRef<{ focus: () => void }>('first')
  return () => window.setTimeout(() => field.value?.focus())
}
