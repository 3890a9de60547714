import { createRouter, createWebHistory } from 'vue-router'

import { Refusal, tell } from './api/client'

/** Every screen has its address. */
export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/dispatches' },
    { path: '/sources', component: () => import('./screens/Sources.vue'), meta: { title: 'Sources' } },
    {
      path: '/sheets/:id(\\d+)/:view(column|relations|newer|files|row)?/:which(\\d+|new)?',
      component: () => import('./screens/Sheet.vue'),
      props: true,
      meta: { title: 'Sheet' },
    },
    {
      path: '/forms/:id(\\d+)/:field(\\d+)?',
      component: () => import('./screens/Form.vue'),
      props: true,
      meta: { title: 'Form' },
    },
    {
      path: '/connections/:id(\\d+)?',
      component: () => import('./screens/Connections.vue'),
      props: true,
      meta: { title: 'Connections' },
    },
    {
      path: '/queries/:id(\\d+|new)',
      component: () => import('./screens/Query.vue'),
      props: true,
      meta: { title: 'CRM query' },
    },
    { path: '/templates', component: () => import('./screens/Templates.vue'), meta: { title: 'Templates' } },
    {
      path: '/templates/:id(\\d+)/:view?',
      component: () => import('./screens/Template.vue'),
      props: true,
      meta: { title: 'Template' },
    },
    {
      path: '/clauses/:id(\\d+|new)?',
      component: () => import('./screens/Clauses.vue'),
      props: true,
      meta: { title: 'Clauses' },
    },
    {
      path: '/messages/:id?',
      component: () => import('./screens/Messages.vue'),
      props: true,
      meta: { title: 'Messages' },
    },
    {
      path: '/dispatches',
      component: () => import('./screens/Dispatches.vue'),
      meta: { title: 'Dispatches' },
    },
    {
      path: '/dispatches/:dispatch/:station?',
      component: () => import('./screens/Bench.vue'),
      props: true,
      meta: { title: 'Dispatch' },
    },
    { path: '/runs', component: () => import('./screens/Runs.vue'), meta: { title: 'Runs' } },
    {
      path: '/runs/:id(\\d+)',
      component: () => import('./screens/Run.vue'),
      props: true,
      meta: { title: 'Run' },
    },
    { path: '/signing', component: () => import('./screens/Signing.vue'), meta: { title: 'Signing' } },
    { path: '/documents', component: () => import('./screens/Documents.vue'), meta: { title: 'Documents' } },
    {
      path: '/documents/:item(\\d+)',
      component: () => import('./screens/Document.vue'),
      props: true,
      meta: { title: 'Document' },
    },
    { path: '/ledger', component: () => import('./screens/Ledger.vue'), meta: { title: 'Ledger' } },
    {
      path: '/go/:dispatch/:record',
      component: () => import('./screens/OneRecord.vue'),
      props: true,
      meta: { title: 'One record' },
    },
    { path: '/moves', component: () => import('./screens/Moves.vue'), meta: { title: 'Import set-up' } },
    {
      path: '/personal-data',
      component: () => import('./screens/PersonalData.vue'),
      meta: { title: 'Personal data' },
    },
    { path: '/verify', component: () => import('./screens/Verify.vue'), meta: { title: 'Verify' } },
    {
      path: '/practice/mailbox/:number(\\d+)?',
      component: () => import('./screens/Mailbox.vue'),
      props: true,
      meta: { title: 'Practice mailbox' },
    },
    {
      path: '/help/:page?',
      component: () => import('./screens/Help.vue'),
      props: true,
      meta: { title: 'Help' },
    },
    { path: '/settings', component: () => import('./screens/Settings.vue'), meta: { title: 'Settings' } },
    {
      path: '/:rest(.*)*',
      name: 'missing',
      component: () => import('./screens/Missing.vue'),
      meta: { title: 'Page not found' },
    },
  ],
})

router.afterEach((to, from) => {
  // What went wrong elsewhere is behind whoever goes on.
  if (to.path !== from.path) ElMessage.closeAll('error')
  document.title = `${String(to.meta.title ?? 'Mangle')} · Mangle`
})

/** Reads what a screen shows; where that is gone, its address says so. */
export async function enter(read: () => Promise<unknown>): Promise<void> {
  try {
    await read()
  } catch (error) {
    if (!(error instanceof Refusal) || error.code !== 'not-found') return tell(error)
    const { path, query, hash } = router.currentRoute.value
    await router.replace({ name: 'missing', params: { rest: path.slice(1).split('/') }, query, hash })
  }
}
