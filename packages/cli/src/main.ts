import { runClient } from './program.js';

const { stdin, stdout, stderr, env, argv } = process;
process.exitCode = await runClient(argv.slice(2), { input: stdin, output: stdout, errors: stderr, tty: stdin.isTTY, env });
