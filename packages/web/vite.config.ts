import vue from '@vitejs/plugin-vue';
import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';
import vuetify from 'vite-plugin-vuetify';

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true })],
  resolve: { alias: { '@clean-sieve/core': fileURLToPath(new URL('../core/src/index.ts', import.meta.url)) } },
  server: { proxy: { '/api': 'http://127.0.0.1:4400' } },
  build: { chunkSizeWarningLimit: 1500 },
});
