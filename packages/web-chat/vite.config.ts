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
    rollupOptions: {
      input: { index: at('index.html'), page: at('page.html'), back: at('back.html'), embed: at('src/embed.ts') },
      // Pages of others name the script, so its address never changes.
      output: { entryFileNames: (chunk) => (chunk.name === 'embed' ? 'embed.js' : 'assets/[name]-[hash].js') },
    },
  },
});
