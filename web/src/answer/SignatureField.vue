<script setup lang="ts">
import type SignaturePad from 'signature_pad'
import { onBeforeUnmount, onMounted, ref } from 'vue'

import type { PublicField, Sending } from './answer'

/** A field for a signature that is drawn with a finger, a pen or the mouse. */
const props = defineProps<{ field: PublicField; files: Sending[]; wrong: boolean }>()
const emit = defineEmits<{ add: [file: File]; remove: [which: number]; pending: [work: Promise<void>] }>()

const canvas = ref<HTMLCanvasElement>()
let pad: SignaturePad | undefined

onMounted(async () => {
  const { default: Pad } = await import('signature_pad')
  const own = canvas.value
  if (!own) return
  // As many dots as the device shows.
  own.width = own.clientWidth * devicePixelRatio
  own.height = own.clientHeight * devicePixelRatio
  own.getContext('2d')?.scale(devicePixelRatio, devicePixelRatio)
  pad = new Pad(own, { penColor: '#2a2530' })
  pad.addEventListener('endStroke', keep)
})
onBeforeUnmount(() => pad?.off())

let timer = 0
let taken: (() => void) | undefined
/** A signature is done when the hand rests; whoever sends the form meanwhile waits for it. */
function keep() {
  window.clearTimeout(timer)
  if (!taken) emit('pending', new Promise((resolve) => (taken = resolve)))
  timer = window.setTimeout(() => {
    canvas.value?.toBlob((drawn) => {
      if (drawn) {
        if (props.files.length) emit('remove', 0)
        emit('add', new File([drawn], 'signature.png', { type: 'image/png' }))
      }
      taken?.()
      taken = undefined
    })
  }, 700)
}

function clear() {
  pad?.clear()
  if (props.files.length) emit('remove', 0)
}
</script>

<template>
  <canvas
    :id="`field-${field.id}`"
    ref="canvas"
    class="pad"
    tabindex="0"
    role="img"
    :aria-label="`${field.label}: draw your signature here`"
    :aria-invalid="wrong"
  />
  <div class="under">
    <span v-if="files[0]?.wrong" class="wrong" role="alert">{{ files[0].wrong }}</span>
    <span v-else>{{ files[0]?.key ? 'signed' : 'Sign here with your finger, pen or mouse' }}</span>
    <button type="button" @click="clear">Clear</button>
  </div>
</template>
