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
import { noteFaults } from './faults'
import { router } from './router'

noteFaults()

createApp(App).use(createPinia()).use(router).mount('#app')
