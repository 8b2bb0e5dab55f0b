import { z } from 'zod';
import { expression, template, value, type Value } from '../document/shapes.js';
import type { Citation, Message } from '../engine/message.js';
import { compileExpression, type View } from '../expressions/expression.js';
import { textOf } from '../expressions/functions.js';
import { fillPath } from '../expressions/path.js';
import { compileTemplate } from '../expressions/template.js';
import { plainText, type Block, type Inline } from '../text/markdown.js';

/** One call that a channel makes of a messenger. Strings in `body` are templates. */
const call = z.strictObject({ post: template, body: value });

/**
 * How a messenger's webhooks become our events and our messages become its calls: expressions both ways, no code. It is
 * part of the channel; the secrets that it names are kept apart.
 */
export const hookProfile = z.strictObject({
  /** A GET with which the messenger checks the address: `passes` must hold, and `answers` is sent back as text. */
  handshake: z.strictObject({ passes: expression, answers: expression }).optional(),
  /** HMAC of the body's bytes: which header, which hash, how it is written, and the secret that is its key. */
  signature: z
    .strictObject({
      header: z.string().regex(/^[A-Za-z0-9-]+$/),
      hash: z.enum(['sha256', 'sha512', 'sha1']),
      form: template,
      secret: z.string().regex(/^[a-z][a-z0-9_]*$/),
    })
    .optional(),
  /** The list of events in a body; the body itself when it is left out. */
  events: expression.optional(),
  event: z.strictObject({
    /** Events for which it does not hold are passed over. */
    when: expression.optional(),
    id: expression,
    sender: expression,
    name: expression.optional(),
    first_name: expression.optional(),
    language: expression.optional(),
    text: expression.optional(),
    choice: expression.optional(),
    pictures: expression.optional(),
  }),
  calls: z.strictObject({
    address: z.url({ protocol: /^https?$/, error: 'an address such as https://messenger.example/api' }).max(500),
    headers: z.record(z.string().regex(/^[A-Za-z0-9-]+$/), template).optional(),
    message: call,
    typing: call.optional(),
  }),
  /** The longest text that the messenger takes, in characters; longer ones are split. */
  longest: z.number().int().min(20).max(100_000).optional(),
});
export type HookProfile = z.infer<typeof hookProfile>;

/** A mistake in a profile: `field` is a JSON Pointer into it. */
export interface ProfileProblem {
  readonly field: string;
  readonly message: string;
}

/** The names that each part of a profile may use. */
export const PROFILE_NAMES = {
  handshake: ['query', 'secret'],
  event: ['item', 'body'],
  call: ['to', 'text', 'choices', 'links', 'pictures', 'cites', 'who', 'key', 'secret'],
} as const;

/** Everything in a profile that cannot be used, with its place. */
export function profileProblems(profile: HookProfile): ProfileProblem[] {
  const problems: ProfileProblem[] = [];
  const check = (field: string, source: string | undefined, as: 'expression' | 'template', names: readonly string[]) => {
    if (source === undefined) return;
    const compiled = as === 'expression' ? compileExpression(source) : compileTemplate(source);
    if (!compiled.ok) problems.push({ field, message: compiled.problem.message });
    else
      for (const { root } of compiled.value.reads)
        if (!names.includes(root))
          problems.push({ field, message: `nothing is called "${root}" here; there are ${names.join(', ')}` });
  };
  const { handshake, signature, events, event, calls } = profile;
  check('/handshake/passes', handshake?.passes, 'expression', PROFILE_NAMES.handshake);
  check('/handshake/answers', handshake?.answers, 'expression', PROFILE_NAMES.handshake);
  check('/signature/form', signature?.form, 'template', ['hex', 'base64']);
  check('/events', events, 'expression', ['body']);
  for (const [key, source] of Object.entries(event)) check(`/event/${key}`, source, 'expression', PROFILE_NAMES.event);
  for (const [key, source] of Object.entries(calls.headers ?? {}))
    check(`/calls/headers/${key}`, source, 'template', PROFILE_NAMES.call);
  for (const key of ['message', 'typing'] as const) {
    const found = calls[key];
    check(`/calls/${key}/post`, found?.post, 'template', PROFILE_NAMES.call);
    for (const [field, source] of stringsIn(found?.body ?? null, `/calls/${key}/body`))
      check(field, source, 'template', PROFILE_NAMES.call);
  }
  return problems;
}

function stringsIn(source: Value, field: string): [string, string][] {
  if (typeof source === 'string') return [[field, source]];
  if (source === null || typeof source !== 'object') return [];
  return Object.entries(source).flatMap(([key, v]) => stringsIn(v, `${field}/${key}`));
}

/** An event as a profile reads it out of a webhook. */
export interface HookEvent {
  readonly id: string;
  readonly sender: string;
  readonly name?: string;
  readonly firstName?: string;
  readonly language?: string;
  readonly text?: string;
  readonly choice?: string;
  readonly pictures: readonly string[];
}

/** What became of one event in a webhook: read, passed over because its `when` does not hold, or not understood. */
export type HookReading =
  | { readonly as: 'event'; readonly event: HookEvent }
  | { readonly as: 'passed-over' }
  | { readonly as: 'unreadable'; readonly field: string; readonly reason: string };

/** What one webhook, and one event of it, may hold; ids and senders that are longer are no such things. */
export const HOOK_LIMITS = {
  events: 100,
  id: 500,
  sender: 200,
  name: 120,
  language: 40,
  text: 8000,
  choice: 200,
  pictures: 10,
  address: 2000,
};

function evaluate(source: string, view: View): { ok: true; value: Value } | { ok: false; reason: string } {
  const compiled = compileExpression(source);
  if (!compiled.ok) return { ok: false, reason: compiled.problem.message };
  const found = compiled.value.evaluate(view);
  if (found.ok || found.missing) return { ok: true, value: found.ok ? found.value : null };
  return found;
}

/** Reads all events of a webhook's body. Never throws; what does not fit says in which field and why. */
export function readHook(profile: HookProfile, body: Value): HookReading[] {
  const listed = profile.events === undefined ? { ok: true as const, value: [body] } : evaluate(profile.events, { body });
  if (!listed.ok) return [{ as: 'unreadable', field: '/events', reason: listed.reason }];
  if (!Array.isArray(listed.value))
    return [{ as: 'unreadable', field: '/events', reason: 'it should be a list; there is none in this body' }];
  const items = listed.value as readonly Value[];
  if (items.length > HOOK_LIMITS.events)
    return [
      {
        as: 'unreadable',
        field: '/events',
        reason: `there are ${items.length}; at most ${HOOK_LIMITS.events} are taken at once`,
      },
    ];
  return items.map((item) => readEvent(profile, { item, body }));
}

function readEvent({ event }: HookProfile, view: View): HookReading {
  if (event.when !== undefined) {
    const holds = evaluate(event.when, view);
    if (!holds.ok) return { as: 'unreadable', field: '/event/when', reason: holds.reason };
    if (holds.value !== true) return { as: 'passed-over' };
  }
  const values: Record<string, Value> = {};
  for (const [key, source] of Object.entries(event)) {
    if (key === 'when') continue;
    const found = evaluate(source, view);
    if (!found.ok) return { as: 'unreadable', field: `/event/${key}`, reason: found.reason };
    values[key] = found.value;
  }
  const word = (key: string): string | undefined => {
    const v = values[key];
    if (typeof v === 'number') return String(v);
    return typeof v === 'string' && v.trim() !== '' ? v : undefined;
  };
  const cut = (key: 'name' | 'language' | 'text', of: string = key): string | undefined =>
    word(of)
      ?.slice(0, HOOK_LIMITS[key])
      .replace(/\p{Surrogate}/gu, '');
  const [id, sender, choice] = ['id', 'sender', 'choice'].map(word);
  const text = cut('text');
  const pictures = picturesOf(values['pictures']);
  for (const [key, found] of Object.entries({ id, sender, choice }))
    if (found !== undefined && found.length > HOOK_LIMITS[key as 'id' | 'sender' | 'choice'])
      return { as: 'unreadable', field: `/event/${key}`, reason: `it has ${found.length} characters, which no ${key} has` };
  if (id === undefined) return { as: 'unreadable', field: '/event/id', reason: 'the event has no such value' };
  if (sender === undefined) return { as: 'unreadable', field: '/event/sender', reason: 'the event has no such value' };
  if (text === undefined && choice === undefined && pictures.length === 0)
    return { as: 'unreadable', field: '/event/text', reason: 'there is neither a text nor a choice nor a picture' };
  const optional = { name: cut('name'), firstName: cut('name', 'first_name'), language: cut('language'), text, choice };
  const filled = Object.fromEntries(Object.entries(optional).filter(([, v]) => v !== undefined));
  return { as: 'event', event: { id, sender, pictures, ...filled } };
}

/** The addresses of pictures, as many as are looked at; what is no address of the web is none. */
function picturesOf(value: Value | undefined): string[] {
  if (!Array.isArray(value)) return [];
  return (value as readonly Value[])
    .filter((p): p is string => typeof p === 'string' && p.length <= HOOK_LIMITS.address && /^https?:\/\//i.test(p))
    .slice(0, HOOK_LIMITS.pictures);
}

/** One HTTP call that a message needs, ready to be sent. */
export interface HookCall {
  readonly url: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Value;
}

export type HookSecrets = Readonly<Record<string, string>>;
export type HookCalls =
  | { readonly ok: true; readonly calls: readonly HookCall[] }
  | { readonly ok: false; readonly field: string; readonly reason: string };

const DEFAULT_LONGEST = 2000;

/** Where a message goes and under which key a repeat of it is recognised. */
export interface HookTarget {
  readonly to: string;
  readonly key: string;
  readonly who: string;
  readonly secrets: HookSecrets;
}

/** Where something stands, in a line, with the address at which it can be read. */
function sourceLine({ number, title, heading, page, address }: Citation): string {
  const place = `[${number}] ${title}${heading === '' ? '' : ` › ${heading}`}${page === undefined ? '' : `, p. ${page}`}`;
  return address === undefined ? place : `${place}: ${address}`;
}

/** The calls that say a message: one for each part of a long text, buttons and pictures with the last. */
export function messageCalls(profile: HookProfile, message: Message, target: HookTarget): HookCalls {
  const cites = message.cites ?? [];
  const sources = cites.map(sourceLine);
  const body = JSON.stringify(profile.calls.message.body);
  const apart = body.includes('pictures');
  const links = message.links ?? [];
  // A messenger without such buttons gets the addresses in the text.
  const written = body.includes('links') ? [] : links.map((l) => `${l.says}: ${l.opens}`);
  const text = [
    plainText(apart ? withoutPictures(message.blocks) : message.blocks),
    ...(sources.length > 0 ? [sources.join('\n')] : []),
    ...(written.length > 0 ? [written.join('\n')] : []),
  ].join('\n\n');
  const parts = splitText(text, profile.longest ?? DEFAULT_LONGEST);
  const calls: HookCall[] = [];
  for (const [i, part] of parts.entries()) {
    const last = i === parts.length - 1;
    const made = makeCall(profile, 'message', {
      ...target,
      key: `${target.key}-${i + 1}`,
      text: part,
      choices: last ? (message.choices ?? []) : [],
      links: last ? links : [],
      pictures: last ? picturesIn(message.blocks) : [],
      cites: last ? cites : [],
    });
    if (!made.ok) return made;
    calls.push(...made.calls);
  }
  return { ok: true, calls };
}

/** The call that shows that the bot is writing; none where the profile has no such call. */
export function typingCalls(profile: HookProfile, target: HookTarget): HookCalls {
  if (!profile.calls.typing) return { ok: true, calls: [] };
  return makeCall(profile, 'typing', { ...target, text: '', choices: [], links: [], pictures: [], cites: [] });
}

/**
 * The headers with which a file is fetched that came by its address: those of all calls where it lies at the messenger's own address, and
 * none anywhere else, so that no secret leaves for another host.
 */
export function fileHeaders({ calls }: HookProfile, address: string, secrets: HookSecrets): Record<string, string> {
  const own = URL.canParse(calls.address) && URL.canParse(address) && new URL(calls.address).origin === new URL(address).origin;
  if (!own) return {};
  return Object.fromEntries(
    Object.entries(calls.headers ?? {}).map(([name, source]) => {
      const compiled = compileTemplate(source);
      return [name, compiled.ok ? compiled.value.text({ secret: secrets }, () => undefined) : ''];
    }),
  );
}

function makeCall(profile: HookProfile, kind: 'message' | 'typing', view: HookTarget & View): HookCalls {
  const { secrets, ...rest } = view;
  const names = { ...rest, secret: secrets };
  const { calls } = profile;
  const { post, body } = calls[kind] ?? calls.message;
  let problem: { field: string; reason: string } | undefined;
  const fill = (source: string, field: string, as: 'value' | 'text' | 'path'): Value => {
    const compiled = compileTemplate(source);
    const onGap = (gap: { expression: string; missing: boolean; reason: string }) => {
      if (!gap.missing || gap.expression.startsWith('secret.')) problem ??= { field, reason: `${gap.expression}: ${gap.reason}` };
    };
    if (!compiled.ok) {
      problem ??= { field, reason: compiled.problem.message };
      return null;
    }
    if (as !== 'path') return compiled.value[as](names, onGap);
    const path = fillPath(compiled.value, names, onGap);
    if (!path.ok) problem ??= { field, reason: path.reason };
    return path.ok ? path.path : '';
  };
  const filled = (source: Value, field: string): Value => {
    if (typeof source === 'string') return fill(source, field, 'value');
    if (Array.isArray(source)) return source.map((v: Value, i) => filled(v, `${field}/${i}`));
    if (source === null || typeof source !== 'object') return source;
    return Object.fromEntries(Object.entries(source).map(([k, v]) => [k, filled(v, `${field}/${k}`)]));
  };
  const path = textOf(fill(post, `/calls/${kind}/post`, 'path'));
  const headers = Object.entries(calls.headers ?? {}).map(
    ([k, v]) => [k, textOf(fill(v, `/calls/headers/${k}`, 'text'))] as const,
  );
  const made: HookCall = {
    url: calls.address.replace(/\/$/, '') + (path.startsWith('/') ? path : `/${path}`),
    headers: Object.fromEntries(headers),
    body: filled(body, `/calls/${kind}/body`),
  };
  return problem ? { ok: false, ...problem } : { ok: true, calls: [made] };
}

/** A text in pieces of at most `longest` characters, cut at paragraphs, else sentences, else words; never inside a grapheme. */
export function splitText(text: string, longest: number): string[] {
  const parts: string[] = [];
  let rest = text.trim();
  while (rest.length > longest) {
    const window = rest.slice(0, longest);
    const at = [/\n[^\S\n]*\n\s*/g, /[.!?…]\s+/g, /\s+/g].map((p) => lastEnd(window, p)).find((i) => i > longest / 4);
    const cut = at ?? graphemeEnd(window);
    parts.push(rest.slice(0, cut).trim());
    rest = rest.slice(cut).trim();
  }
  return rest === '' && parts.length > 0 ? parts : [...parts, rest];
}

/** Where the last match of a pattern ends; 0 where there is none. */
function lastEnd(text: string, pattern: RegExp): number {
  let end = 0;
  for (const m of text.matchAll(pattern)) end = m.index + m[0].length;
  return end;
}

const graphemes = new Intl.Segmenter(undefined, { granularity: 'grapheme' });

function graphemeEnd(window: string): number {
  const starts = [...graphemes.segment(window)].map((s) => s.index);
  return starts.length > 1 ? (starts.at(-1) ?? window.length) : window.length;
}

/** Blocks with the words of pictures in place of these: they are sent apart. */
function withoutPictures(blocks: readonly Block[]): Block[] {
  const inline = (i: Inline): Inline => {
    if (i.type === 'image') return { type: 'text', text: i.alt };
    return 'inside' in i ? { ...i, inside: i.inside.map(inline) } : i;
  };
  return blocks.map((b): Block => {
    if ('inside' in b) return { ...b, inside: b.inside.map(inline) };
    if (b.type === 'list') return { ...b, items: b.items.map((item) => withoutPictures(item)) };
    return b.type === 'quote' ? { ...b, blocks: withoutPictures(b.blocks) } : b;
  });
}

function picturesIn(blocks: readonly Block[]): string[] {
  const inline = (i: Inline): string[] => {
    if (i.type === 'image') return [i.from];
    return 'inside' in i ? i.inside.flatMap(inline) : [];
  };
  return blocks.flatMap((b): string[] => {
    if ('inside' in b) return b.inside.flatMap(inline);
    if (b.type === 'list') return b.items.flatMap((item) => picturesIn(item));
    return b.type === 'quote' ? picturesIn(b.blocks) : [];
  });
}
