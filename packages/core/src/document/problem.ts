import type { Value } from './shapes.js';

export type Severity = 'error' | 'warning';

/**
 * Something wrong or doubtful in a bot, as data; `problemSentence` words it.
 * `flow` and `node` say where; `field` is a JSON Pointer inside the node (or the document where there is no node).
 */
export interface Problem {
  readonly code: string;
  readonly severity: Severity;
  readonly flow?: string;
  readonly node?: string;
  readonly field?: string;
  readonly facts: Readonly<Record<string, Value>>;
}

/** A JSON Pointer (RFC 6901) of a path. */
export function pointer(path: readonly PropertyKey[]): string {
  return path.map((part) => '/' + String(part).replaceAll('~', '~0').replaceAll('/', '~1')).join('');
}
