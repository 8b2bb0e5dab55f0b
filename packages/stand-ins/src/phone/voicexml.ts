import { XMLParser } from 'fast-xml-parser';

/** A node of a document: its name, attributes and what is inside, in order. */
export interface Element {
  readonly name: string;
  readonly attrs: Readonly<Record<string, string>>;
  readonly inside: readonly (Element | string)[];
}

type Raw = Readonly<Record<string, unknown>>;

const parser = new XMLParser({
  preserveOrder: true,
  ignoreAttributes: false,
  attributeNamePrefix: '',
  trimValues: false,
  processEntities: true,
});

function elementOf(raw: Raw): Element | string | undefined {
  const name = Object.keys(raw).find((k) => k !== ':@');
  if (name === undefined) return undefined;
  if (name === '#text') return String(raw[name]);
  if (name.startsWith('?')) return undefined;
  const attrs = Object.fromEntries(Object.entries((raw[':@'] ?? {}) as Raw).map(([k, v]) => [k, String(v)]));
  return { name, attrs, inside: (raw[name] as Raw[]).flatMap((r) => elementOf(r) ?? []) };
}

/** Reads a document; throws where it is no VoiceXML 2.1. */
export function readVoiceXml(source: string): Element {
  const [root] = (parser.parse(source) as Raw[])
    .flatMap((r) => elementOf(r) ?? [])
    .filter((e): e is Element => typeof e !== 'string');
  if (root?.name !== 'vxml' || root.attrs['version'] !== '2.1') throw new Error('this is no document in VoiceXML 2.1');
  return root;
}

export const children = (of: Element, name?: string): Element[] =>
  of.inside.filter((e): e is Element => typeof e !== 'string' && (name === undefined || e.name === name));

export const textIn = (of: Element): string => of.inside.map((e) => (typeof e === 'string' ? e : textIn(e))).join('');
