import { createRouter, createWebHistory } from 'vue-router'
import LibraryPage from './stations/library/LibraryPage.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: LibraryPage, meta: { title: 'Library' } },
    { path: '/characters/:id/:station(bind|stress|mend|deliver)?', component: () => import('./workbench/WorkbenchPage.vue'), props: true },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})
