import '@fontsource-variable/instrument-sans'
import '../style/tokens.css'
import './answer.css'

import { createApp } from 'vue'

import { noteFaults } from '../faults'
import AnswerScreen from './AnswerScreen.vue'

noteFaults()

createApp(AnswerScreen, { token: location.pathname.split('/')[2] ?? '' }).mount('#app')
