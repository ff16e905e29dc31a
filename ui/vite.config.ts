import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: {
    outDir: 'dist',
    emptyOutDir: true,
    assetsInlineLimit: 0,
    rolldownOptions: {
      // What all screens share is one file: many small ones cost more in headers than they save.
      output: {
        codeSplitting: {
          groups: [
            {
              name: 'kit',
              test: /src\/(kit\/(?!dialog)|words|errors|api|i18n)|node_modules\/(react|react-dom|scheduler|wouter|regexparam|i18next|react-i18next|openapi-fetch|@tanstack)\//,
            },
          ],
        },
      },
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:7270' } },
});
