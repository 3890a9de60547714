<script setup lang="ts">
import type SignaturePad from 'signature_pad'
import { nextTick, ref, watch } from 'vue'

import type { Words } from './words'

/** A signature or initials: typed, drawn or uploaded. */
const props = defineProps<{ id: string; label: string; start: string; words: Words }>()
const value = defineModel<{ typed: string; picture: string }>({ required: true })

const how = ref<'type' | 'draw' | 'upload'>('type')
const typed = ref(props.start)
const canvas = ref<HTMLCanvasElement>()
const preview = ref('')
let pad: SignaturePad | undefined
value.value = { typed: typed.value, picture: '' }

watch(typed, (text) => (value.value = { typed: text, picture: '' }))
watch(how, async (now) => {
  pad?.off()
  pad = undefined
  preview.value = ''
  value.value = { typed: now === 'type' ? typed.value : '', picture: '' }
  if (now !== 'draw') return
  const { default: Pad } = await import('signature_pad')
  await nextTick()
  const own = canvas.value
  if (!own) return
  // As many dots as the device shows.
  own.width = own.clientWidth * devicePixelRatio
  own.height = own.clientHeight * devicePixelRatio
  own.getContext('2d')?.scale(devicePixelRatio, devicePixelRatio)
  const fresh = new Pad(own, { penColor: '#1b2a4a' })
  fresh.addEventListener(
    'endStroke',
    () => (value.value = { typed: '', picture: own.toDataURL('image/png') }),
  )
  pad = fresh
})

function clear() {
  pad?.clear()
  value.value = { typed: '', picture: '' }
}

function upload(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  const reader = new FileReader()
  reader.onload = () => {
    preview.value = String(reader.result)
    value.value = { typed: '', picture: preview.value }
  }
  reader.readAsDataURL(file)
}
</script>

<template>
  <fieldset class="signature">
    <legend>{{ label }}</legend>
    <div class="ways" role="radiogroup" :aria-label="label">
      <label v-for="one in ['type', 'draw', 'upload'] as const" :key="one" :class="{ on: how === one }">
        <input v-model="how" type="radio" :name="`${id}-how`" :value="one" />{{ words[one] }}
      </label>
    </div>
    <label v-if="how === 'type'" class="typed">
      <span class="unseen">{{ words.typeLabel }}</span>
      <input :id="id" v-model="typed" class="hand" maxlength="100" autocomplete="name" />
    </label>
    <template v-else-if="how === 'draw'">
      <canvas :id="id" ref="canvas" class="pad" tabindex="0" role="img" :aria-label="words.drawLabel" />
      <div class="under">
        <span>{{ words.drawLabel }}</span>
        <button type="button" @click="clear">{{ words.clear }}</button>
      </div>
    </template>
    <label v-else>
      {{ words.uploadLabel }}
      <input :id="id" type="file" accept="image/png,image/jpeg,image/webp,image/gif" @change="upload" />
      <img v-if="preview" class="preview" :src="preview" alt="" />
    </label>
  </fieldset>
</template>
