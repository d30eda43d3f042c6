import { createRouter, createWebHistory } from 'vue-router';
import WorkingSurface from './shell/WorkingSurface.vue';

/** `/` is the working surface; `/sieve/7` and `/source/3` open it there, so that a place in the work has an address. */
export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'home', component: WorkingSurface },
    { path: '/sieve/:sieve(\\d+)', name: 'sieve', component: WorkingSurface },
    { path: '/source/:source(\\d+)', name: 'source', component: WorkingSurface },
    { path: '/:rest(.*)', redirect: '/' },
  ],
});
