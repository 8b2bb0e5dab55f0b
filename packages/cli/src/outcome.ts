import { ApiError, UnreachableError, type ApiProblemCode } from '@primrose/contract';
import { EXIT, type ExitCode } from './exits.js';

export { EXIT, type ExitCode } from './exits.js';

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

/** What the service refuses, by what a program that calls the client would do about it. */
const EXITS: Partial<Record<ApiProblemCode, ExitCode>> = {
  'stale-revision': EXIT.conflict,
  clash: EXIT.conflict,
  'release-stopped': EXIT.problems,
  'invalid-document': EXIT.problems,
  'invalid-input': EXIT.usage,
  'not-found': EXIT.missing,
  'no-release': EXIT.missing,
  'not-ready': EXIT.unreachable,
  'too-many': EXIT.tooMuch,
  'too-large': EXIT.tooMuch,
  'no-room': EXIT.tooMuch,
};

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
  return new CommandFailure(EXITS[code] ?? EXIT.failed, detail, lines);
}
