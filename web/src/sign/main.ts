import '@fontsource-variable/instrument-sans'
import '../style/tokens.css'
import '../shared/shared.css'
import './sign.css'

import { createApp } from 'vue'

import { noteFaults } from '../faults'
import SignScreen from './SignScreen.vue'

noteFaults()

createApp(SignScreen, { token: location.pathname.split('/')[2] ?? '' }).mount('#app')
