import { defineConfig } from 'vite';

export default defineConfig({
  root: import.meta.dirname,
  base: '/chat/',
  build: { outDir: 'dist/site', emptyOutDir: true, target: 'es2022', assetsInlineLimit: 0 },
});
