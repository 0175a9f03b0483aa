import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

// The dev server hands everything under /api to a running bench (`cargo xtask dev` starts both).
// A bench refuses foreign origins, so the proxy speaks under the bench's own name.
const bench = process.env['VERITOPE_BENCH'] ?? 'http://127.0.0.1:7310';

export default defineConfig({
  plugins: [react()],
  build: { assetsInlineLimit: 0, sourcemap: false },
  server: {
    host: '127.0.0.1',
    port: 7312,
    strictPort: true,
    proxy: { '/api': { target: bench, changeOrigin: true, headers: { origin: bench } } },
  },
});
