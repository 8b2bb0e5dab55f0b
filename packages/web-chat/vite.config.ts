import { defineConfig } from 'vite';

const at = (name: string): string => `${import.meta.dirname}/${name}`;

export default defineConfig({
  root: import.meta.dirname,
  base: '/chat/',
  build: {
    outDir: 'dist/site',
    emptyOutDir: true,
    target: 'es2022',
    assetsInlineLimit: 0,
    rollupOptions: { input: [at('index.html'), at('page.html')] },
  },
});
