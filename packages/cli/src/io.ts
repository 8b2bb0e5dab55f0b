import type { Readable, Writable } from 'node:stream';
import type { ExitCode } from './exits.js';

/** What a run of the client reads and writes, and the world that it sees. */
export interface Io {
  readonly input: Readable;
  readonly output: Writable;
  readonly errors: Writable;
  /** Somebody sits at a keyboard. */
  readonly tty: boolean;
  readonly env: Readonly<Record<string, string | undefined>>;
}

/** What a command ends with when it does not fail. */
export interface Ending {
  exit: ExitCode;
}
