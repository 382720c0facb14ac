import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [tailwindcss(), svelte()],
  build: { emptyOutDir: true, chunkSizeWarningLimit: 1200 },
  server: { proxy: { '/api': { target: 'http://127.0.0.1:7140', ws: true } } },
});
