import { runClient } from './program.js';

const { stdin, stdout, stderr, env, argv } = process;
// Whoever reads our output may stop early: that is no error of anybody.
stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code === 'EPIPE') process.exit(0);
  throw error;
});
process.exitCode = await runClient(argv.slice(2), { input: stdin, output: stdout, errors: stderr, tty: stdin.isTTY, env });
