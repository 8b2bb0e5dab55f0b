import { defineConfig } from 'vite';

// The client as a few files instead of some hundred: what takes the time of a command is finding and reading them.
export default defineConfig({
  root: import.meta.dirname,
  ssr: { noExternal: true, target: 'node' },
  build: { ssr: 'dist/main.js', outDir: 'dist/bundle', emptyOutDir: true, target: 'node20', minify: true },
});
