import { fileURLToPath } from 'node:url';
import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';
import { VitePWA } from 'vite-plugin-pwa';

const isolation = { 'Cross-Origin-Opener-Policy': 'same-origin', 'Cross-Origin-Embedder-Policy': 'require-corp' };

export default defineConfig({
  root: fileURLToPath(new URL('.', import.meta.url)),
  plugins: [
    react(),
    tailwindcss(),
    // everything is kept by the browser at the first visit; a newer version waits until it is asked for
    VitePWA({
      registerType: 'prompt',
      injectRegister: null,
      manifest: {
        name: 'Essim',
        short_name: 'Essim',
        description: 'Tunes, times and aligns sung performances.',
        theme_color: '#f5f2ea',
        background_color: '#f5f2ea',
        display: 'standalone',
        start_url: '/',
        icons: [
          { src: '/mark.svg', sizes: 'any', type: 'image/svg+xml', purpose: 'any' },
          { src: '/mark-192.png', sizes: '192x192', type: 'image/png' },
          { src: '/mark-512.png', sizes: '512x512', type: 'image/png' },
        ],
      },
      workbox: {
        globPatterns: ['**/*.{js,css,html,svg,png,woff2,wasm}'],
        maximumFileSizeToCacheInBytes: 8 * 2 ** 20,
        navigateFallback: '/index.html',
        navigateFallbackDenylist: [/^\/demo\//],
        cleanupOutdatedCaches: true,
        // what the demo song is made of; its recordings are kept with the song once it was opened
        runtimeCaching: [
          {
            urlPattern: ({ url }) => url.pathname === '/demo/song.json',
            handler: 'NetworkFirst',
            options: { cacheName: 'demo' },
          },
        ],
      },
    }),
  ],
  worker: { format: 'es' },
  build: { outDir: 'dist', emptyOutDir: true, target: 'es2022', chunkSizeWarningLimit: 1500 },
  server: { headers: isolation },
});
