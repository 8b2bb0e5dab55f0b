import { defineConfig } from 'vite';

/** What a client has to know of an endpoint to call it. */
const ROUTE = ['method', 'path', 'upload', 'stream', 'download'];

/**
 * The list of endpoints without their schemas: they check what comes in and goes out where the service is built, and building
 * them takes longer than most commands do.
 */
function routesOnly() {
  return {
    name: 'routes-only',
    async load(id) {
      if (!/contract\/dist\/endpoints\.js$/.test(id)) return undefined;
      const { endpoints } = await import(id);
      const routes = Object.entries(endpoints).map(([name, e]) => [name, Object.fromEntries(ROUTE.map((key) => [key, e[key]]))]);
      return `export const endpoints = ${JSON.stringify(Object.fromEntries(routes))};`;
    },
  };
}

// The client as a few files instead of some hundred: what takes the time of a command is finding and reading them.
export default defineConfig({
  root: import.meta.dirname,
  plugins: [routesOnly()],
  ssr: { noExternal: true, target: 'node' },
  build: { ssr: 'dist/main.js', outDir: 'dist/bundle', emptyOutDir: true, target: 'node20', minify: true },
});
