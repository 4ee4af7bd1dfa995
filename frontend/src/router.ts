import { createRouter, createWebHistory } from 'vue-router'
import LibraryPage from './stations/library/LibraryPage.vue'
import WorkbenchPage from './workbench/WorkbenchPage.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: LibraryPage, meta: { title: 'Library' } },
    { path: '/characters/:id/:station(bind|mend|deliver)?', component: WorkbenchPage, props: true },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})
