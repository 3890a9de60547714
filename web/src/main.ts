import '@fontsource-variable/instrument-sans'
import '@fontsource-variable/jetbrains-mono'
import './style/tokens.css'
import './style/base.css'
import './style/kit.css'
import './style/panel.css'
import './style/rows.css'

import { createPinia } from 'pinia'
import { createApp } from 'vue'

import App from './App.vue'
import { router } from './router'

/** Faults of the front end, kept where a test can read them. */
const faults: string[] = []
Object.assign(window, { __errors: faults })
window.addEventListener('error', (event) => faults.push(event.message))
window.addEventListener('unhandledrejection', (event) => faults.push(String(event.reason)))

createApp(App).use(createPinia()).use(router).mount('#app')
