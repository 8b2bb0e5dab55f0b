/** A value marked in a phrase: where its words stand, of which entity it is, and what it is there for. */
export interface Mark {
  readonly from: number;
  readonly to: number;
  readonly entity: string;
  readonly role?: string;
}

/** A phrase without its markup. Offsets of marks are counted in `text`. */
export interface Phrase {
  readonly text: string;
  readonly marks: readonly Mark[];
}

/** What keeps a phrase from being read; `at` is the offset in its source. */
export interface PhraseProblem {
  readonly code: 'mark-open' | 'mark-form';
  readonly at: number;
}

const INSIDE = /^([^|]+)\|\s*(?:([a-z][a-z0-9_]*)\s*:\s*)?([a-z][a-z0-9_]*)\s*$/;

/** Reads a phrase such as `to <<Tarn Holm | destination: port>>`. Never throws; what cannot be read as a mark stays as text. */
export function readPhrase(source: string): Phrase & { readonly problems: readonly PhraseProblem[] } {
  const marks: Mark[] = [];
  const problems: PhraseProblem[] = [];
  let text = '';
  let at = 0;
  for (;;) {
    const open = source.indexOf('<<', at);
    if (open < 0) break;
    const close = source.indexOf('>>', open + 2);
    if (close < 0) {
      problems.push({ code: 'mark-open', at: open });
      break;
    }
    text += source.slice(at, open);
    const inside = INSIDE.exec(source.slice(open + 2, close));
    const words = inside?.[1]?.trim() ?? source.slice(open + 2, close);
    const [role, entity] = [inside?.[2], inside?.[3]];
    if (entity === undefined) problems.push({ code: 'mark-form', at: open });
    else marks.push({ from: text.length, to: text.length + words.length, entity, ...(role === undefined ? {} : { role }) });
    text += words;
    at = close + 2;
  }
  return { text: text + source.slice(at), marks, problems };
}

/** Writes a phrase with its marks; the opposite of `readPhrase`. Marks must not overlap. */
export function writePhrase({ text, marks }: Phrase): string {
  let out = '';
  let at = 0;
  for (const { from, to, entity, role } of [...marks].sort((a, b) => a.from - b.from)) {
    out += `${text.slice(at, from)}<<${text.slice(from, to)} | ${role === undefined ? '' : `${role}: `}${entity}>>`;
    at = to;
  }
  return out + text.slice(at);
}
