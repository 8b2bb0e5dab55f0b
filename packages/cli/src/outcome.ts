import { ApiError, UnreachableError } from '@primrose/contract';

/** What the client's exit code says. */
export const EXIT = { ok: 0, failed: 1, usage: 2, problems: 3, conflict: 4, unreachable: 5, signedOut: 6 } as const;
export type ExitCode = (typeof EXIT)[keyof typeof EXIT];

/** Ends a command with a message and an exit code; `lines` are details under it. */
export class CommandFailure extends Error {
  readonly exit: ExitCode;
  readonly lines: readonly string[];
  constructor(exit: ExitCode, message: string, lines: readonly string[] = []) {
    super(message);
    this.exit = exit;
    this.lines = lines;
  }
}

/** Any error as what a person should read, and the exit code for programs. */
export function explain(error: unknown): CommandFailure {
  if (error instanceof CommandFailure) return error;
  if (error instanceof UnreachableError)
    return new CommandFailure(
      EXIT.unreachable,
      `${error.message} Its address comes from PRIMROSE_ADDRESS or "primrose configure".`,
    );
  if (!(error instanceof ApiError))
    return new CommandFailure(EXIT.failed, error instanceof Error ? error.message : String(error));
  const { code, detail, errors = [] } = error.details;
  const lines = errors.map((e) => `${e.pointer}: ${e.detail}`);
  if (code === 'not-signed-in')
    return new CommandFailure(
      EXIT.signedOut,
      'The API token is missing or not valid. Make one under Settings in the console, then "primrose configure --token …" or PRIMROSE_TOKEN.',
    );
  if (code === 'stale-revision') return new CommandFailure(EXIT.conflict, detail, lines);
  if (code === 'release-stopped' || code === 'invalid-document') return new CommandFailure(EXIT.problems, detail, lines);
  return new CommandFailure(EXIT.failed, detail, lines);
}
