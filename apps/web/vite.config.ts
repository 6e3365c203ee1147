import react from '@vitejs/plugin-react';
import { compression } from 'vite-plugin-compression2';
import { defaultClientConditions, defineConfig } from 'vite';

const server = `http://127.0.0.1:${process.env.FLAIL_PORT ?? '4180'}`;

export default defineConfig({
  plugins: [
    react(),
    compression({ include: /\.(?:js|css)$/, algorithms: ['brotliCompress', 'gzip'], threshold: 1000 }),
  ],
  resolve: {
    conditions: ['source', ...defaultClientConditions],
    dedupe: ['react', 'react-dom', '@codemirror/state', '@codemirror/view', '@lezer/common'],
  },
  // The host stays the one of the page, so that the server knows its requests for those of its own page.
  server: { proxy: { '/api': { target: server, changeOrigin: false } } },
  // The content policy allows fonts from files only, not from data URLs.
  build: { assetsInlineLimit: 0, chunkSizeWarningLimit: 900 },
});
