// npm run build: compiles the packages and the pages when a source is younger than the last build.
import { ensureBuilt, ensurePackages, Halt, say } from './lib/machine.mjs';

try {
  ensurePackages();
  ensureBuilt();
} catch (error) {
  say(error instanceof Halt ? error.message : String(error.stack));
  process.exitCode = 1;
}
