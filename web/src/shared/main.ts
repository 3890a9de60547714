import '@fontsource-variable/instrument-sans'
import '../style/tokens.css'
import './shared.css'

import { createApp } from 'vue'

import { noteFaults } from '../faults'
import SharedScreen from './SharedScreen.vue'

noteFaults()

createApp(SharedScreen, { token: location.pathname.split('/')[2] ?? '' }).mount('#app')
