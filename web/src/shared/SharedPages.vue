<script setup lang="ts">
import 'pdfjs-dist/web/pdf_viewer.css'

import { getDocument, GlobalWorkerOptions } from 'pdfjs-dist'
import worker from 'pdfjs-dist/build/pdf.worker.min.mjs?url'
import { EventBus, PDFLinkService, PDFViewer } from 'pdfjs-dist/web/pdf_viewer.mjs'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'

/** A place on a page that is to be filled in, in points from the page's top left. */
interface Mark {
  number: number
  page: number
  left: number
  top: number
  width: number
  height: number
  label: string
  done: boolean
}

/** The pages of a PDF, at first as wide as the screen, up to a size that reads well. */
const props = withDefaults(defineProps<{ address: string; name: string; fields?: Mark[]; at?: number }>(), {
  fields: () => [],
  at: undefined,
})
const emit = defineEmits<{ field: [number: number] }>()
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

/** Lays the places to fill in over the pages that are drawn. */
function lay() {
  const of = (page: number) => props.fields.filter((field) => field.page === page)
  for (let index = 0; index < count.value; index++) {
    const view = viewer?.getPageView(index)
    if (!view?.div || !view.pdfPage) continue
    view.div.querySelectorAll('.mark').forEach((old: Element) => old.remove())
    const [x0, y0, x1, y1] = view.pdfPage.view as [number, number, number, number]
    for (const field of of(index)) {
      const mark = document.createElement('button')
      mark.type = 'button'
      mark.className = ['mark', field.done && 'done', field.number === props.at && 'here']
        .filter(Boolean)
        .join(' ')
      mark.textContent = field.label
      const place = {
        left: field.left / (x1 - x0),
        top: field.top / (y1 - y0),
        width: field.width / (x1 - x0),
        height: field.height / (y1 - y0),
      }
      for (const [side, share] of Object.entries(place)) mark.style.setProperty(side, `${share * 100}%`)
      mark.addEventListener('click', () => emit('field', field.number))
      view.div.append(mark)
    }
  }
}
watch(() => [props.fields, props.at], lay)
watch(
  () => props.at,
  (number) => {
    const field = props.fields.find((one) => one.number === number)
    const view = field && viewer?.getPageView(field.page)
    const box = container.value
    if (!field || !view?.div || !box || !view.pdfPage) return
    const [, y0, , y1] = view.pdfPage.view as [number, number, number, number]
    const top = view.div.offsetTop + (field.top / (y1 - y0)) * view.div.clientHeight
    box.scrollTo({ top: top - box.clientHeight / 2 })
  },
)

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
  eventBus.on('pagerendered', lay)
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
