import vue from '@vitejs/plugin-vue';
import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';
import vuetify from 'vite-plugin-vuetify';
import { places } from './places_plugin.ts';

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true }), places()],
  resolve: {
    // Modules of the core by their own paths, such as those that the drawing thread needs, come without the rest.
    alias: [{ find: /^@clean-sieve\/core$/, replacement: fileURLToPath(new URL('../core/src/index.ts', import.meta.url)) }],
  },
  worker: { format: 'es' },
  server: { proxy: { '/api': 'http://127.0.0.1:4400' } },
  build: { chunkSizeWarningLimit: 1500 },
});
