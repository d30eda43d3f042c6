import '@fontsource-variable/source-sans-3';
import '@fontsource/ibm-plex-mono/400.css';
import 'ol/ol.css';
import 'vuetify/styles';
import './styles.css';
import { createPinia } from 'pinia';
import { createApp } from 'vue';
import App from './App.vue';
import { router } from './router.ts';
import { vuetify } from './theme.ts';

createApp(App).use(createPinia()).use(router).use(vuetify).mount('#app');
