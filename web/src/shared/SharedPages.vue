<script setup lang="ts">
import 'pdfjs-dist/web/pdf_viewer.css'

import { getDocument, GlobalWorkerOptions } from 'pdfjs-dist'
import worker from 'pdfjs-dist/build/pdf.worker.min.mjs?url'
import { EventBus, PDFLinkService, PDFViewer } from 'pdfjs-dist/web/pdf_viewer.mjs'
import { onBeforeUnmount, onMounted, ref } from 'vue'

/** The pages of a PDF, at first as wide as the screen, up to a size that reads well. */
const props = defineProps<{ address: string; name: string }>()
GlobalWorkerOptions.workerSrc = worker

const container = ref<HTMLDivElement>()
const pages = ref<HTMLDivElement>()
const page = ref(1)
const count = ref(0)
const done = ref(0)
const problem = ref('')
let viewer: PDFViewer | undefined
/** How large the pages are; none once a person has chosen. */
let scale: 'auto' | 'page-width' | undefined = 'auto'

const fit = () => {
  if (viewer && scale) viewer.currentScaleValue = scale
}

function zoom(by: 1 | -1) {
  if (!viewer) return
  scale = undefined
  if (by > 0) viewer.increaseScale()
  else viewer.decreaseScale()
}

function whole() {
  scale = 'page-width'
  fit()
}

async function load() {
  problem.value = ''
  done.value = 0
  const loading = getDocument({ url: props.address, isEvalSupported: false, enableXfa: false })
  loading.onProgress = ({ loaded, total }: { loaded: number; total: number }) => {
    done.value = total ? loaded / total : 0
  }
  try {
    const pdf = await loading.promise
    count.value = pdf.numPages
    viewer?.setDocument(pdf)
    viewer?.linkService.setDocument(pdf)
  } catch {
    problem.value = 'The pages could not be loaded. Check the connection and try again.'
  }
}

onMounted(() => {
  if (!container.value || !pages.value) return
  const eventBus = new EventBus()
  const linkService = new PDFLinkService({ eventBus, externalLinkTarget: 2, externalLinkRel: 'noopener' })
  viewer = new PDFViewer({
    container: container.value,
    viewer: pages.value,
    eventBus,
    linkService,
    removePageBorders: true,
  })
  linkService.setViewer(viewer)
  eventBus.on('pagesinit', fit)
  eventBus.on('pagechanging', (told: { pageNumber: number }) => (page.value = told.pageNumber))
  window.addEventListener('resize', fit)
  void load()
})
onBeforeUnmount(() => window.removeEventListener('resize', fit))
</script>

<template>
  <section class="pages" :aria-label="name">
    <div class="tools">
      <span v-if="count" role="status">Page {{ page }} of {{ count }}</span>
      <span v-else-if="!problem" role="status">Loading…{{ done ? ` ${Math.round(done * 100)}%` : '' }}</span>
      <template v-if="count">
        <button aria-label="Zoom out" @click="zoom(-1)">−</button>
        <button aria-label="Zoom in" @click="zoom(1)">+</button>
        <button @click="whole">Fit width</button>
      </template>
    </div>
    <p v-if="problem" class="wrong" role="alert">
      {{ problem }} <button class="press" @click="load">Try again</button>
    </p>
    <div class="frame">
      <div ref="container" class="scroll" tabindex="0">
        <div ref="pages" class="pdfViewer"></div>
      </div>
    </div>
  </section>
</template>
