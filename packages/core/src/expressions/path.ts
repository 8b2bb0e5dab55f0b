import { wellFormed } from '../text/well-formed.js';
import type { View } from './expression.js';
import type { Filling, Gap, Template } from './template.js';

export type FilledPath = { readonly ok: true; readonly path: string } | { readonly ok: false; readonly reason: string };

/** Stands for a value that was empty until its segment has been looked at; no value that is escaped can hold it. */
const NOTHING = '\u0000';

/**
 * Fills in the path of an address, so that what is sent has just the segments that are written: a value stays inside its own
 * segment whatever it is. Fails where one would go elsewhere (`.` and `..` lead up and away, RFC 3986, 5.2.4), and where a
 * segment would be empty, since `/things/` is often all of them. Behind a `?` a value may be empty.
 */
export function fillPath(template: Template, view: View, onGap: (gap: Gap) => void, steps?: Filling['steps']): FilledPath {
  const escape = (text: string): string => (text === '' ? NOTHING : encodeURIComponent(wellFormed(text)));
  const filled = template.text(view, onGap, { escape, ...(steps ? { steps } : {}) });
  const [path = ''] = filled.split(/[?#]/, 1);
  const bad = path
    .split('/')
    .map((segment, at) => ({ segment, at }))
    .find(({ segment }) => isAway(segment) || (segment !== '' && segment.replaceAll(NOTHING, '') === ''));
  if (!bad) return { ok: true, path: filled.replaceAll(NOTHING, '') };
  const reason = isAway(bad.segment)
    ? `the path ${template.source} would lead elsewhere: what stands at place ${bad.at} in it came to "${bad.segment.replaceAll(NOTHING, '')}"`
    : `the path ${template.source} is not complete: there is no value for place ${bad.at} in it`;
  return { ok: false, reason };
}

/** A segment that a URL parser takes for a step: one or two dots, also written as `%2e`. */
function isAway(segment: string): boolean {
  return /^\.{1,2}$/.test(segment.replaceAll(NOTHING, '').replace(/%2e/gi, '.'));
}
