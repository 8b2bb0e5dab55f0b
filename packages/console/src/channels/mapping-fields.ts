import type { Value } from '@primrose/core';
import { tableOf, withKey, type Table } from './schema.js';

/** A field of a mapping: where its value stands, and what it may name. */
export interface MappingField {
  readonly path: readonly string[];
  readonly label: string;
  readonly about: string;
  readonly as: 'expression' | 'template' | 'text' | 'number' | 'json';
  /** It takes what is picked from the last webhook. */
  readonly picks?: true;
}

export interface MappingGroup {
  readonly title: string;
  readonly about: string;
  readonly fields: readonly MappingField[];
}

const picked = (path: string, label: string, about: string): MappingField => ({
  path: path.split('.'),
  label,
  about,
  as: 'expression',
  picks: true,
});
const field = (path: string, label: string, about: string, as: MappingField['as']): MappingField => ({
  path: path.split('.'),
  label,
  about,
  as,
});

/** All fields of a mapping, in the order in which somebody fills them in who has the messenger's description before them. */
export const MAPPING_GROUPS: readonly MappingGroup[] = [
  {
    title: 'What comes in',
    about: 'choose a field, then pick its value from the last webhook',
    fields: [
      picked('events', 'Events', 'the list of events in a body; the body itself when it is empty'),
      picked('event.id', 'Id', 'the messenger’s own id of the event'),
      picked('event.sender', 'Sender', 'who it is from'),
      picked('event.text', 'Text', 'what was said'),
      picked('event.choice', 'Button', 'the id of the button that was pressed'),
      picked('event.name', 'Name', 'how the sender is called'),
      picked('event.first_name', 'First name', ''),
      picked('event.language', 'Language', 'such as en'),
      picked('event.pictures', 'Files', 'a list of addresses or ids of pictures and files'),
      picked('event.room', 'Room', 'where it was said; answers go there'),
      picked('event.when', 'Only when', 'events for which it does not hold are passed over'),
      picked('event.means', 'What it is', '"message", "edit", "receipt" or "reaction"'),
      picked('event.about', 'About', 'the id of the message that it edits, has read, reacts to or answers'),
      picked('event.sign', 'Sign', 'of a reaction; empty when it is taken back'),
      picked('batches', 'Batches', 'where events come in batches: the list of these; Events then reads each as batch'),
    ],
  },
  {
    title: 'What goes out',
    about: 'names: to, text, choices, links, pictures, answers, who, key, secret',
    fields: [
      field('calls.address', 'Address', 'of the messenger’s API', 'text'),
      field('calls.headers', 'Headers', 'of every call', 'json'),
      field('calls.message.post', 'Message: path', 'where a message is posted', 'template'),
      field('calls.message.body', 'Message: body', 'JSON; strings are templates', 'json'),
      field('calls.message.id', 'Message: its id', 'in the answer; receipts and reactions name it', 'expression'),
      field('calls.picture.post', 'Picture: path', 'where a picture goes that is sent on its own', 'template'),
      field('calls.picture.body', 'Picture: body', 'JSON; picture is its address', 'json'),
      field('calls.typing.post', 'Typing: path', 'where it is told that the bot writes', 'template'),
      field('calls.typing.body', 'Typing: body', 'JSON', 'json'),
      field('calls.file', 'File: path', 'where a file is fetched that came by its id, as file', 'template'),
      field('calls.fails', 'Failed when', 'why a call failed that was answered with a good status', 'expression'),
      field('calls.wait', 'Wait', 'seconds to wait, where an answer tells so in its body', 'expression'),
      field('longest', 'Longest text', 'in characters; longer ones are split', 'number'),
    ],
  },
  {
    title: 'How webhooks are known',
    about: 'a signature, a secret word, a handshake; or the messenger is asked',
    fields: [
      field('signature.header', 'Signature: header', '', 'text'),
      field('signature.hash', 'Signature: hash', 'sha256, sha512 or sha1', 'text'),
      field('signature.form', 'Signature: form', 'such as sha256={{ hex }}', 'template'),
      field('signature.secret', 'Signature: secret', 'the name of the secret that is its key', 'text'),
      field('signature.stamp', 'Signature: time stamp', 'the header that tells when it was signed', 'text'),
      field('signature.signs', 'Signature: signs', 'such as {{ stamp }}.{{ body }}; the body when it is empty', 'template'),
      field('word.header', 'Secret word: header', '', 'text'),
      field('word.secret', 'Secret word: secret', 'its name', 'text'),
      field('handshake.passes', 'Handshake passes', 'a GET is answered when it holds; names: query, secret', 'expression'),
      field('handshake.answers', 'Handshake answers', '', 'expression'),
      field('challenge.when', 'Challenge when', 'a webhook that only asks; names: body, secret', 'expression'),
      field('challenge.answers', 'Challenge answers', '', 'expression'),
      field('polls.get', 'Asked at', 'the messenger is asked for its events; since is where it goes on', 'template'),
      field('polls.next', 'Asked next', 'with what the next asking goes on', 'expression'),
      field('polls.every', 'Asked every', 'seconds', 'number'),
    ],
  },
];

/** The value at a place; undefined where there is none. */
export function valueAt(profile: Table, path: readonly string[]): Value | undefined {
  const [key = '', ...rest] = path;
  return rest.length === 0 ? profile[key] : valueAt(tableOf(profile[key]), rest);
}

/** A profile with another value at a place; a table that is left empty goes with its last value. */
export function withValue(profile: Table, path: readonly string[], value: Value | undefined): Table {
  const [key = '', ...rest] = path;
  if (rest.length === 0) return withKey(profile, key, value);
  const inside = withValue(tableOf(profile[key]), rest, value);
  return withKey(profile, key, Object.keys(inside).length === 0 ? undefined : inside);
}

const WORD = /^[A-Za-z_][A-Za-z0-9_]*$/;
const step = (key: string | number): string =>
  typeof key === 'number' ? `[${key}]` : WORD.test(key) ? `.${key}` : `[${JSON.stringify(key)}]`;

/** The expression that reads a place of a body: from the body, or from one event where the place stands in the list of these. */
export function expressionFor(keys: readonly (string | number)[], events: string | undefined): string {
  const whole = keys.reduce<string>((at, key) => at + step(key), 'body');
  if (events === undefined || !whole.startsWith(`${events}[`)) return whole;
  const rest = whole.slice(events.length).replace(/^\[\d+\]/, '');
  return `item${rest}`;
}
