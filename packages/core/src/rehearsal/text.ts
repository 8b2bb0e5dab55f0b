import { isMap, isScalar, LineCounter, parseDocument } from 'yaml';
import { freshText } from '../document/folder.js';
import { rehearsal as schema, type Rehearsal } from '../document/rehearsals.js';

/** A mistake in the text of a rehearsal: `line` is counted from 1. */
export interface TextProblem {
  readonly line: number;
  readonly message: string;
}

export type RehearsalText =
  { readonly ok: true; readonly rehearsal: Rehearsal } | { readonly ok: false; readonly problems: readonly TextProblem[] };

/** A rehearsal as its file reads, without the line that names it. */
export function writeRehearsal(rehearsal: Rehearsal): string {
  return freshText(rehearsal);
}

/** Reads a rehearsal from the text of its file. What does not fit is told with its line. */
export function readRehearsal(text: string): RehearsalText {
  const lines = new LineCounter();
  const parsed = parseDocument(text, { lineCounter: lines });
  const broken = parsed.errors.map((e) => ({ line: e.linePos?.[0].line ?? 1, message: e.message.split('\n')[0] ?? '' }));
  if (broken.length > 0) return { ok: false, problems: broken };
  const plain: unknown = parsed.toJS();
  const { rehearsal: _name, ...source } = (plain !== null && typeof plain === 'object' ? plain : {}) as Record<string, unknown>;
  const read = schema.safeParse(source);
  if (read.success) return { ok: true, rehearsal: read.data };
  const lineOf = (path: readonly PropertyKey[]): number => {
    for (let length = path.length; length > 0; length--) {
      const key = path[length - 1];
      const holder = parsed.getIn(path.slice(0, length - 1), true);
      const pair = isMap(holder) ? holder.items.find((p) => isScalar(p.key) && p.key.value === key) : undefined;
      const node = pair?.key ?? parsed.getIn(path.slice(0, length), true);
      const range = (node as { range?: [number, number, number] } | undefined)?.range;
      if (range) return lines.linePos(range[0]).line;
    }
    return 1;
  };
  const problems = read.error.issues.map((issue) => {
    const keys = issue.code === 'unrecognized_keys' ? issue.keys : [];
    const path = keys.length > 0 ? [...issue.path, keys[0] ?? ''] : issue.path;
    const where = issue.path.length > 0 ? `${issue.path.map(String).join('/')}: ` : '';
    return { line: lineOf(path), message: `${where}${issue.message}` };
  });
  return { ok: false, problems };
}
