import { z } from 'zod';
import { expression, template, value, type Value } from '../document/shapes.js';
import type { Message } from '../engine/message.js';
import { compileExpression, type View } from '../expressions/expression.js';
import { textOf } from '../expressions/functions.js';
import { fillPath } from '../expressions/path.js';
import { compileTemplate } from '../expressions/template.js';
import { checksum } from '../text/checksum.js';
import { shownOn, WORDS_ONLY, type Ability } from './ability.js';

/** One call that a channel makes of a messenger. Strings in `body` are templates. */
const call = z.strictObject({ post: template, body: value });
const secretName = z.string().regex(/^[a-z][a-z0-9_]*$/);
const headerName = z.string().regex(/^[A-Za-z0-9-]+$/);
/** Between two askings of a messenger that is polled, in seconds. */
const EVERY_SECONDS = { least: 1, most: 300, usual: 2 };

/**
 * How a messenger's webhooks become our events and our messages become its calls: expressions both ways, no code. It is
 * part of the channel; the secrets that it names are kept apart.
 */
export const hookProfile = z.strictObject({
  /** A GET with which the messenger checks the address: `passes` must hold, and `answers` is sent back as text. */
  handshake: z.strictObject({ passes: expression, answers: expression }).optional(),
  /** The same by a webhook: a body for which `when` holds is a question, and is answered with `answers`. */
  challenge: z.strictObject({ when: expression, answers: expression }).optional(),
  /**
   * HMAC of the body's bytes: which header, which hash, how it is written, and the secret that is its key. With `stamp`, the header that
   * tells when it was signed (seconds of Unix time): `signs` is what is signed, and what is older than five minutes is refused.
   */
  signature: z
    .strictObject({
      header: headerName,
      hash: z.enum(['sha256', 'sha512', 'sha1']),
      form: template,
      secret: secretName,
      stamp: headerName.optional(),
      signs: template.optional(),
    })
    .optional(),
  /** A header that holds a secret word, where webhooks are not signed. */
  word: z.strictObject({ header: headerName, secret: secretName }).optional(),
  /** The messenger sends no webhooks and is asked for its events: `next` is told with the next asking, as `since`. */
  polls: z
    .strictObject({
      get: template,
      next: expression,
      every: z.number().min(EVERY_SECONDS.least).max(EVERY_SECONDS.most).optional(),
    })
    .optional(),
  /** Where events come in batches: the list of these in a body; `events` then reads each, as `batch`. */
  batches: expression.optional(),
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
    /** Addresses of pictures and other files, or their ids where `calls.file` makes addresses of them. */
    pictures: expression.optional(),
    /** The room in which it was said; answers go there. */
    room: expression.optional(),
    /** What it is: message, edit, receipt or reaction; a message where it is left out. */
    means: expression.optional(),
    /** The message that it edits, has read, reacts to or answers, by its id at the messenger. */
    about: expression.optional(),
    /** The sign of a reaction; an empty one takes it back. */
    sign: expression.optional(),
  }),
  calls: z.strictObject({
    address: z.url({ protocol: /^https?$/, error: 'an address such as https://messenger.example/api' }).max(500),
    headers: z.record(z.string().regex(/^[A-Za-z0-9-]+$/), template).optional(),
    message: call.extend({
      /** The id of the message at the messenger, in its answer: receipts and reactions name it. */
      id: expression.optional(),
    }),
    typing: call.optional(),
    /** One picture, where it is sent apart from the text. */
    picture: call.optional(),
    /** The address of a file that came by its id. */
    file: template.optional(),
    /** Why a call failed that was answered with a good status; null or empty where it did not. */
    fails: expression.optional(),
    /** How many seconds to wait, where an answer tells so in its body. */
    wait: expression.optional(),
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
  call: ['to', 'text', 'choices', 'links', 'pictures', 'picture', 'cites', 'who', 'key', 'answers', 'secret'],
  answer: ['answer', 'status'],
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
  const { handshake, challenge, signature, polls, batches, events, event, calls } = profile;
  check('/handshake/passes', handshake?.passes, 'expression', PROFILE_NAMES.handshake);
  check('/handshake/answers', handshake?.answers, 'expression', PROFILE_NAMES.handshake);
  check('/challenge/when', challenge?.when, 'expression', ['body', 'secret']);
  check('/challenge/answers', challenge?.answers, 'expression', ['body', 'secret']);
  check('/signature/form', signature?.form, 'template', ['hex', 'base64']);
  check('/signature/signs', signature?.signs, 'template', ['body', 'stamp']);
  check('/polls/get', polls?.get, 'template', ['since', 'secret']);
  check('/polls/next', polls?.next, 'expression', ['body']);
  check('/batches', batches, 'expression', ['body']);
  check('/events', events, 'expression', batches === undefined ? ['body'] : ['body', 'batch']);
  for (const [key, source] of Object.entries(event)) check(`/event/${key}`, source, 'expression', PROFILE_NAMES.event);
  for (const [key, source] of Object.entries(calls.headers ?? {}))
    check(`/calls/headers/${key}`, source, 'template', PROFILE_NAMES.call);
  check('/calls/file', calls.file, 'template', ['file', 'secret']);
  check('/calls/message/id', calls.message.id, 'expression', PROFILE_NAMES.answer);
  check('/calls/fails', calls.fails, 'expression', PROFILE_NAMES.answer);
  check('/calls/wait', calls.wait, 'expression', PROFILE_NAMES.answer);
  for (const key of ['message', 'typing', 'picture'] as const) {
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
  readonly room?: string;
  readonly about?: string;
}

/** What is told of a message of ours: that it was read, or with which sign somebody reacts to it. */
export interface HookSign {
  readonly id: string;
  readonly sender: string;
  readonly about: string;
  /** Undefined where it was read; empty where a reaction is taken back. */
  readonly sign?: string;
}

/** What became of one event in a webhook: read, passed over because its `when` does not hold, or not understood. */
export type HookReading =
  | { readonly as: 'event'; readonly event: HookEvent }
  | { readonly as: 'sign'; readonly sign: HookSign }
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
  room: 200,
  about: 500,
  sign: 40,
  address: 2000,
};

function evaluate(source: string, view: View): { ok: true; value: Value } | { ok: false; reason: string } {
  const compiled = compileExpression(source);
  if (!compiled.ok) return { ok: false, reason: compiled.problem.message };
  const found = compiled.value.evaluate(view);
  if (found.ok || found.missing) return { ok: true, value: found.ok ? found.value : null };
  return found;
}

const evaluateText = (source: string, view: View): string => {
  const found = evaluate(source, view);
  return found.ok ? textOf(found.value).slice(0, HOOK_LIMITS.text) : '';
};

type Listed =
  | { readonly ok: true; readonly value: readonly Value[] }
  | { readonly ok: false; readonly problem: Extract<HookReading, { as: 'unreadable' }> };

function listOf(source: string, field: string, view: View): Listed {
  const found = evaluate(source, view);
  if (!found.ok) return { ok: false, problem: { as: 'unreadable', field, reason: found.reason } };
  if (Array.isArray(found.value)) return { ok: true, value: found.value as readonly Value[] };
  return { ok: false, problem: { as: 'unreadable', field, reason: 'it should be a list; there is none in this body' } };
}

/** Reads all events of a webhook's body. Never throws; what does not fit says in which field and why. */
export function readHook(profile: HookProfile, body: Value): HookReading[] {
  const batches =
    profile.batches === undefined ? { ok: true as const, value: [null] } : listOf(profile.batches, '/batches', { body });
  if (!batches.ok) return [batches.problem];
  const items: Value[] = [];
  for (const batch of batches.value.slice(0, HOOK_LIMITS.events)) {
    const listed =
      profile.events === undefined
        ? { ok: true as const, value: [batch ?? body] }
        : listOf(profile.events, '/events', { body, batch });
    if (!listed.ok) return [listed.problem];
    items.push(...listed.value);
  }
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

function readEvent({ event, calls }: HookProfile, view: View): HookReading {
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
  const [id, sender, choice, room, about] = ['id', 'sender', 'choice', 'room', 'about'].map(word);
  const text = cut('text');
  const pictures = picturesOf(values['pictures'], calls.file !== undefined);
  for (const [key, found] of Object.entries({ id, sender, choice, room, about }))
    if (found !== undefined && found.length > HOOK_LIMITS[key as 'id' | 'sender' | 'choice' | 'room' | 'about'])
      return { as: 'unreadable', field: `/event/${key}`, reason: `it has ${found.length} characters, which no ${key} has` };
  if (id === undefined) return { as: 'unreadable', field: '/event/id', reason: 'the event has no such value' };
  if (sender === undefined) return { as: 'unreadable', field: '/event/sender', reason: 'the event has no such value' };
  const means = word('means') ?? 'message';
  if (means === 'receipt' || means === 'reaction') {
    if (about === undefined)
      return { as: 'unreadable', field: '/event/about', reason: `a ${means} is about a message, and none is named` };
    const sign = means === 'reaction' ? { sign: textOf(values['sign'] ?? '').slice(0, HOOK_LIMITS.sign) } : {};
    return { as: 'sign', sign: { id, sender, about, ...sign } };
  }
  if (means !== 'message' && means !== 'edit')
    return {
      as: 'unreadable',
      field: '/event/means',
      reason: `"${means.slice(0, 40)}" is neither message, edit, receipt nor reaction`,
    };
  if (text === undefined && choice === undefined && pictures.length === 0)
    return { as: 'unreadable', field: '/event/text', reason: 'there is neither a text nor a choice nor a picture' };
  const optional = {
    name: cut('name'),
    firstName: cut('name', 'first_name'),
    language: cut('language'),
    text,
    choice,
    room,
    about,
  };
  const filled = Object.fromEntries(Object.entries(optional).filter(([, v]) => v !== undefined));
  // An edited message is said anew: it has the id of the one that it changes.
  const own = means === 'edit' ? `${id} edited ${checksum(text ?? choice ?? '')}`.slice(0, HOOK_LIMITS.id) : id;
  return { as: 'event', event: { id: own, sender, pictures, ...filled } };
}

/** The addresses of pictures, as many as are looked at; what is no address of the web is none, unless files come by their ids. */
function picturesOf(value: Value | undefined, ids: boolean): string[] {
  if (!Array.isArray(value)) return [];
  return (value as readonly Value[])
    .map((p) => (ids && typeof p === 'number' ? String(p) : p))
    .filter(
      (p): p is string =>
        typeof p === 'string' && p !== '' && p.length <= HOOK_LIMITS.address && (ids || /^https?:\/\//i.test(p)),
    )
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
  /** The id of the message that is answered; empty where none is. */
  readonly answers?: string;
  readonly key: string;
  readonly who: string;
  readonly secrets: HookSecrets;
}

/** What a messenger shows, as its mapping tells: what the calls name it can show, the rest is written into the text. */
export function hookAbility({ calls, event, longest }: HookProfile): Ability {
  const body = JSON.stringify(calls.message.body);
  const apart = calls.picture !== undefined || body.includes('pictures');
  return {
    choices: body.includes('choices') ? 'buttons' : 'numbered',
    pictures: apart ? 'apart' : 'links',
    links: body.includes('links') ? 'buttons' : 'written',
    marks: false,
    longest: longest ?? DEFAULT_LONGEST,
    oneLine: false,
    typing: calls.typing !== undefined,
    takes: {
      files: event.pictures !== undefined,
      replies: event.about !== undefined,
      edits: event.means !== undefined,
      receipts: event.means !== undefined && event.about !== undefined,
      reactions: event.sign !== undefined,
      rooms: event.room !== undefined,
    },
  };
}

/** The calls that say a message: one for each part of a long text, buttons and pictures with the last; pictures on their own where they are sent so. */
export function messageCalls(
  profile: HookProfile,
  message: Message,
  { answers = '', ...target }: HookTarget,
  language = 'en',
): HookCalls {
  const calls: HookCall[] = [];
  const alone = profile.calls.picture !== undefined;
  for (const [i, part] of shownOn(hookAbility(profile), message, language).entries()) {
    const nothing = alone && part.text === '' && part.pictures.length > 0;
    const { pictures, ...words } = part;
    const wanted: ['message' | 'picture', Record<string, unknown>][] = [
      ...(nothing
        ? []
        : [
            ['message', { ...words, pictures: alone ? [] : pictures, answers: i === 0 ? answers : '' }] as [
              'message',
              Record<string, unknown>,
            ],
          ]),
      ...(alone
        ? pictures.map((picture): ['picture', Record<string, unknown>] => [
            'picture',
            { ...WORDS_ONLY, text: '', picture, answers: '' },
          ])
        : []),
    ];
    for (const [kind, view] of wanted) {
      const made = makeCall(profile, kind, { ...target, picture: '', ...view, key: `${target.key}-${calls.length + 1}` });
      if (!made.ok) return made;
      calls.push(...made.calls);
    }
  }
  return { ok: true, calls };
}

/** The call that shows that the bot is writing; none where the profile has no such call. */
export function typingCalls(profile: HookProfile, target: HookTarget): HookCalls {
  if (!profile.calls.typing) return { ok: true, calls: [] };
  return makeCall(profile, 'typing', { answers: '', ...target, ...WORDS_ONLY, text: '', picture: '' });
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

/** The address of a file that came: as it is, or made of its id by the mapping; undefined where none comes of it. */
export function fileAddress({ calls }: HookProfile, file: string, secrets: HookSecrets): string | undefined {
  if (/^https?:\/\//i.test(file)) return file;
  if (calls.file === undefined) return undefined;
  const compiled = compileTemplate(calls.file);
  const path = compiled.ok ? fillPath(compiled.value, { file, secret: secrets }, () => undefined) : undefined;
  return path?.ok ? calls.address.replace(/\/$/, '') + (path.path.startsWith('/') ? path.path : `/${path.path}`) : undefined;
}

/** What an answer to a call comes to: the id of the message there, why it failed although its status is good, and how long to wait, in seconds. */
export function readCallAnswer(
  { calls }: HookProfile,
  status: number,
  answer: Value,
): { readonly id?: string; readonly fails?: string; readonly wait?: number } {
  const view = { answer, status };
  const [id, fails, wait] = [calls.message.id, calls.fails, calls.wait].map((e) =>
    e === undefined ? '' : evaluateText(e, view),
  );
  const seconds = Number(wait);
  return {
    ...(id && id.length <= HOOK_LIMITS.id ? { id } : {}),
    ...(fails && fails !== 'false' ? { fails: fails.slice(0, 200) } : {}),
    ...(wait && seconds > 0 ? { wait: seconds } : {}),
  };
}

/** The asking for what is new at a messenger that is polled. `since` is what the asking before gave; empty for the first. */
export function pollCall(profile: HookProfile, since: string, secrets: HookSecrets): HookCalls {
  const { polls, calls } = profile;
  if (!polls) return { ok: false, field: '/polls', reason: 'the mapping asks for nothing' };
  const compiled = compileTemplate(polls.get);
  if (!compiled.ok) return { ok: false, field: '/polls/get', reason: compiled.problem.message };
  const path = fillPath(compiled.value, { since, secret: secrets }, () => undefined);
  if (!path.ok) return { ok: false, field: '/polls/get', reason: path.reason };
  const made = makeCall({ ...profile, calls: { ...calls, typing: { post: '/', body: null } } }, 'typing', {
    ...{ to: '', who: 'bot', key: '', answers: '', secrets, text: '', picture: '' },
    ...WORDS_ONLY,
  });
  if (!made.ok) return made;
  const [{ headers } = { headers: {} }] = made.calls;
  const url = calls.address.replace(/\/$/, '') + (path.path.startsWith('/') ? path.path : `/${path.path}`);
  return { ok: true, calls: [{ url, headers, body: null }] };
}

/** With what the next asking begins, as the answer tells; what was before where it tells nothing. */
export function nextSince({ polls }: HookProfile, body: Value, since: string): string {
  const next = polls === undefined ? '' : evaluateText(polls.next, { body });
  return next === '' ? since : next.slice(0, HOOK_LIMITS.id);
}

/** Between two askings, in ms. */
export function pollEveryMs({ polls }: HookProfile): number {
  return (polls?.every ?? EVERY_SECONDS.usual) * 1000;
}

function makeCall(profile: HookProfile, kind: 'message' | 'typing' | 'picture', view: HookTarget & View): HookCalls {
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
