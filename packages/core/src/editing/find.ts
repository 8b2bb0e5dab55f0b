import type { BotDocument } from '../document/schema.js';
import type { FlowNode } from '../document/shapes.js';
import { nodeKinds } from '../engine/nodes/registry.js';
import { changeNode } from './nodes.js';
import { usesOf } from '../engine/refers.js';
import { valueAt, withValueAt } from './references.js';

/** Something of a bot that can be found by its words. */
export interface Findable {
  readonly what:
    | 'flow'
    | 'node'
    | 'intent'
    | 'phrase'
    | 'entity'
    | 'context'
    | 'variable'
    | 'action'
    | 'model'
    | 'knowledge'
    | 'document'
    | 'rehearsal'
    | 'page'
    | 'sample';
  readonly name: string;
  /** The words in which something was found, whole. */
  readonly text: string;
  readonly flow?: string;
  readonly node?: string;
  /** The name of the part of the bot it belongs to: an intent, a connection, a knowledge base. */
  readonly of?: string;
  /** The id of a document in it. */
  readonly id?: string;
}

export interface Hit extends Findable {
  /** Where in `text` the first word sought begins and how long it is; undefined where only the name fits. */
  readonly at?: readonly [number, number];
}

/** Everything of a bot that can be found, in the order in which it is shown. Build it once per document. */
export function findables(document: BotDocument): Findable[] {
  return [...flowFindables(document), ...partFindables(document)];
}

function flowFindables(document: BotDocument): Findable[] {
  const flows = Object.entries(document.flows);
  return [
    ...flows.map(([flow, f]): Findable => ({
      what: 'flow',
      name: f.title ?? flow,
      text: `${flow} ${f.about ?? ''}`.trim(),
      flow,
    })),
    ...flows.flatMap(([flow, { nodes }]) =>
      Object.entries(nodes).flatMap(([node, n]) =>
        textsOfNode(n).map((text): Findable => ({ what: 'node', name: n.title ?? node, text, flow, node })),
      ),
    ),
  ];
}

/** All words of a node, each once: its name, its kind, its texts and values. */
export function textsOfNode(node: FlowNode): string[] {
  const prose = nodeKinds.get(node.kind)?.prose(node, '').text ?? '';
  const others = usesOf(node).map((u) => u.text);
  return [...new Set([prose, ...others])].filter((text, i) => i === 0 || text.trim() !== '');
}

function partFindables(document: BotDocument): Findable[] {
  const { intents = {}, entities = {}, contexts = {}, connections = {}, models = {}, knowledge = {}, variables = {} } = document;
  return [
    ...Object.entries(intents).flatMap(([name, i]): Findable[] => [
      { what: 'intent', name, text: i.about ?? '' },
      ...Object.values(i.phrases ?? {})
        .flat()
        .map((text): Findable => ({ what: 'phrase', name, text, of: name })),
    ]),
    ...Object.entries(entities).map(([name, e]): Findable => ({
      what: 'entity',
      name,
      text: JSON.stringify(e.values ?? e.pattern ?? ''),
    })),
    ...Object.entries(contexts).map(([name, c]): Findable => ({ what: 'context', name, text: c.about ?? '' })),
    ...Object.entries(variables).flatMap(([scope, table]) =>
      Object.keys(table ?? {}).map((name): Findable => ({ what: 'variable', name: `${scope}.${name}`, text: '' })),
    ),
    ...Object.entries(connections).flatMap(([of, c]) =>
      Object.entries(c.actions).map(([name, a]): Findable => ({
        what: 'action',
        name: `${of}.${name}`,
        text: a.about ?? '',
        of,
      })),
    ),
    ...Object.entries(models).map(([name, m]): Findable => ({ what: 'model', name, text: `${m.model} ${m.about ?? ''}`.trim() })),
    ...Object.entries(knowledge).flatMap(([name, base]): Findable[] => [
      { what: 'knowledge', name, text: base.about ?? '' },
      ...Object.entries(base.documents).map(([id, d]): Findable => ({
        what: 'document',
        name: d.title ?? id,
        text: d.text ?? '',
        of: name,
        id,
      })),
    ]),
    ...Object.entries(document.rehearsals ?? {}).flatMap(([name, { about = '', turns }]) =>
      [about, ...turns.map((t) => t.says ?? t.presses ?? '')]
        .filter((text, i) => i === 0 || text !== '')
        .map((text): Findable => ({ what: 'rehearsal', name, text })),
    ),
    ...Object.entries(document.pages ?? {}).map(([id, { title, about = '' }]): Findable => ({
      what: 'page',
      name: title,
      text: about,
      id,
    })),
    ...Object.entries(document.samples ?? {}).map(([name, s]): Findable => ({ what: 'sample', name, text: s.about ?? '' })),
  ];
}

/**
 * What holds all the words sought, in any case; names that begin with them come first, then names, then texts. At most
 * `most`, and each node once.
 */
export function find(among: readonly Findable[], sought: string, most = 50): Hit[] {
  const words = sought.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return [];
  const seen = new Set<string>();
  const hits = among.flatMap((item, order): { hit: Hit; rank: number; order: number }[] => {
    const name = item.name.toLowerCase();
    const text = item.text.toLowerCase();
    if (!words.every((w) => name.includes(w) || text.includes(w))) return [];
    const first = words.find((w) => text.includes(w));
    const rank = name.startsWith(words[0] ?? '') ? 0 : words.every((w) => name.includes(w)) ? 1 : 2;
    const hit = first === undefined ? item : { ...item, at: [text.indexOf(first), first.length] as const };
    return [{ hit, rank, order }];
  });
  return hits
    .sort((a, b) => a.rank - b.rank || a.order - b.order)
    .map(({ hit }) => hit)
    .filter((hit) => {
      const key = `${hit.what}/${hit.flow ?? hit.of ?? ''}/${hit.node ?? hit.name}${hit.what === 'phrase' ? hit.text : ''}`;
      return seen.has(key) ? false : seen.add(key);
    })
    .slice(0, most);
}

/** One text in which words are to be replaced, as it is and as it would be. */
export interface Replacement {
  readonly flow: string;
  readonly node: string;
  readonly field: string;
  readonly before: string;
  readonly after: string;
}

/**
 * What replacing words in the texts that visitors read would change, as a preview: in one flow or in all. Values in
 * `{{ }}` stay as they are. `caseful`: only where capitals are the same too.
 */
export function replacements(
  document: BotDocument,
  { find: what, by, flow: only, caseful = false }: { find: string; by: string; flow?: string; caseful?: boolean },
): Replacement[] {
  if (what === '') return [];
  const pattern = new RegExp(what.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'), caseful ? 'gu' : 'giu');
  const replaceIn = (text: string) =>
    text
      .split(/(\{\{.*?\}\})/s)
      .map((part) => (part.startsWith('{{') ? part : part.replace(pattern, () => by)))
      .join('');
  return Object.entries(document.flows).flatMap(([flow, { nodes }]) =>
    only !== undefined && flow !== only
      ? []
      : Object.entries(nodes).flatMap(([node, n]) =>
          wordsOf(n).flatMap(({ field, text }): Replacement[] => {
            const after = replaceIn(text);
            return after === text ? [] : [{ flow, node, field, before: text, after }];
          }),
        ),
  );
}

/** The texts of a node that people read: what is said to the visitor, prompts, notes, the reason of a hand-over. */
function wordsOf(node: FlowNode): { field: string; text: string }[] {
  const words = usesOf(node).filter((u) => u.as === 'words' || u.prose);
  return [...words, ...(nodeKinds.get(node.kind)?.remarks?.(node) ?? [])].map(({ field, text }) => ({ field, text }));
}

/** Makes replacements that were chosen from the preview. A text that is no longer as it was is left alone. */
export function replaceTexts(document: BotDocument, chosen: readonly Replacement[]): BotDocument {
  return chosen.reduce(
    (made, { flow, node, field, before, after }) =>
      changeNode(made, flow, node, (n) => (valueAt(n, field) === before ? withValueAt(n, field, after) : n)),
    document,
  );
}
