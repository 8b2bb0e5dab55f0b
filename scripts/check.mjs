// npm run check: types, lint, the dependency rule with cycles, format. All are run, then the worst counts.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { ensureBuilt, ensurePackages, Halt, ROOT, say } from './lib/machine.mjs';

const CHECKS = [
  ['types of the tests', 'tsc', ['-p', 'tsconfig.tests.json']],
  ['lint', 'eslint', ['.', '--max-warnings=0']],
  ['dependency rule', 'depcruise', ['packages', '--config', '.dependency-cruiser.cjs', '--output-type', 'err']],
  ['format', 'prettier', ['--check', '--log-level', 'warn', '.']],
];

/** Linting by types holds the types of all packages at once, which is more than Node gives itself. */
const HEAP_MB = 8192;

try {
  ensurePackages();
  ensureBuilt();
  const failed = CHECKS.filter(([name, program, args]) => {
    const env = { ...process.env, NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ''} --max-old-space-size=${HEAP_MB}` };
    const { status } = spawnSync(join(ROOT, 'node_modules', '.bin', program), args, { cwd: ROOT, stdio: 'inherit', env });
    say(`${status === 0 ? 'ok  ' : 'FAIL'}  ${name}`);
    return status !== 0;
  });
  process.exitCode = failed.length > 0 ? 1 : 0;
} catch (error) {
  say(error instanceof Halt ? error.message : String(error.stack));
  process.exitCode = 1;
}
