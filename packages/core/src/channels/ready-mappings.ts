import { hookProfile, type HookProfile } from './hook-profile.js';

/** A mapping for a shape of messenger API that many have: with a name and a token it is ready. */
export interface ReadyMapping {
  readonly id: string;
  readonly name: string;
  /** What the API of such a messenger looks like, so that one can tell whether it fits. */
  readonly about: string;
  /** What is told where the token is asked for. */
  readonly token: string;
  /** What is still to be done at the messenger, once it is connected. */
  readonly then: string;
  readonly profile: HookProfile;
}

/** Who wrote, where the three parts of a name come apart. */
const NAMED = { name: 'item.from.name', first_name: 'item.from.first_name', language: 'item.from.language' };
const BUTTONS = '{{ choices.map(c, {"value": c.id, "label": c.says}) }}';
const LINKS = '{{ links.map(l, {"label": l.says, "address": l.opens}) }}';

const profileOf = (written: unknown): HookProfile => hookProfile.parse(written);

/** All ready mappings: the four shapes that most messenger APIs have. */
export const READY_MAPPINGS: readonly ReadyMapping[] = [
  {
    id: 'token-in-path',
    name: 'The token stands in the address',
    about: 'Calls go to /bot/TOKEN/…; webhooks bear a secret word in a header, files come by an id.',
    token: 'the bot’s token',
    then: 'Set the address of the webhooks at the messenger, with the token as its secret word.',
    profile: profileOf({
      word: { header: 'x-bot-word', secret: 'token' },
      events: 'body.updates',
      event: {
        ...NAMED,
        when: 'item.type != "joined"',
        means:
          'item.type == "edited" ? "edit" : item.type == "reaction" ? "reaction" : item.type == "seen" ? "receipt" : "message"',
        id: 'item.id',
        sender: 'item.from.id',
        text: 'item.text',
        choice: 'item.pressed',
        pictures: 'item.files',
        room: 'item.room',
        about: 'item.message',
        sign: 'item.sign',
      },
      calls: {
        address: 'https://messenger.example',
        message: {
          post: '/bot/{{ secret.token }}/send',
          body: { chat: '{{ to }}', text: '{{ text }}', buttons: BUTTONS, links: LINKS, replies_to: '{{ answers }}' },
          id: 'answer.message',
        },
        picture: { post: '/bot/{{ secret.token }}/picture', body: { chat: '{{ to }}', address: '{{ picture }}' } },
        typing: { post: '/bot/{{ secret.token }}/typing', body: { chat: '{{ to }}' } },
        file: '/bot/{{ secret.token }}/files/{{ file }}',
        fails: 'answer.ok == false ? answer.trouble : ""',
        wait: 'answer.wait',
      },
      longest: 4000,
    }),
  },
  {
    id: 'signed-webhooks',
    name: 'Bearer token and signed webhooks',
    about: 'Calls bear the token in the authorization header; webhooks are signed with HMAC-SHA256 and a time stamp.',
    token: 'the token; webhooks are signed with the same one',
    then: 'Set the address of the webhooks at the messenger.',
    profile: profileOf({
      signature: {
        header: 'x-signature',
        hash: 'sha256',
        form: 'v1={{ hex }}',
        secret: 'token',
        stamp: 'x-timestamp',
        signs: '{{ stamp }}.{{ body }}',
      },
      challenge: { when: 'body.type == "check"', answers: 'body.word' },
      events: 'body.events',
      event: {
        ...NAMED,
        means:
          'item.kind == "message.edited" ? "edit" : item.kind == "message.read" ? "receipt" : item.kind == "reaction" ? "reaction" : "message"',
        id: 'item.id',
        sender: 'item.from.id',
        text: 'item.text',
        choice: 'item.action',
        pictures: 'item.attachments.map(a, a.address)',
        room: 'item.channel',
        about: 'item.message',
        sign: 'item.sign',
      },
      calls: {
        address: 'https://messenger.example',
        headers: { authorization: 'Bearer {{ secret.token }}' },
        message: {
          post: '/v1/messages',
          body: {
            to: '{{ to }}',
            text: '{{ text }}',
            actions: BUTTONS,
            links: LINKS,
            pictures: '{{ pictures }}',
            thread: '{{ answers }}',
          },
          id: 'answer.id',
        },
        typing: { post: '/v1/typing', body: { to: '{{ to }}' } },
      },
      longest: 3000,
    }),
  },
  {
    id: 'challenge',
    name: 'Handshake by challenge',
    about:
      'The address of the webhooks is checked with a GET that holds the token and a word to be sent back; several events come at once.',
    token: 'the token; the handshake asks for the same one',
    then: 'Set the address of the webhooks at the messenger, with the token as the word of the handshake.',
    profile: profileOf({
      handshake: { passes: 'query.token == secret.token', answers: 'query.challenge' },
      signature: { header: 'x-seal', hash: 'sha256', form: 'sha256={{ hex }}', secret: 'token' },
      batches: 'body.batches',
      events: 'batch.items',
      event: {
        ...NAMED,
        when: 'item.type != "status" || item.status == "read"',
        means: 'item.type == "status" ? "receipt" : item.type == "reaction" ? "reaction" : "message"',
        id: 'item.id',
        sender: 'item.from.id',
        text: 'item.text',
        choice: 'item.reply',
        pictures: 'item.media.map(m, m.address)',
        about: 'item.of',
        sign: 'item.sign',
      },
      calls: {
        address: 'https://messenger.example',
        headers: { authorization: 'Bearer {{ secret.token }}' },
        message: {
          post: '/messages',
          body: { recipient: '{{ to }}', text: '{{ text }}', choices: BUTTONS, answers: '{{ answers }}' },
          id: 'answer.message',
        },
        picture: { post: '/messages', body: { recipient: '{{ to }}', picture: '{{ picture }}' } },
      },
      longest: 1000,
    }),
  },
  {
    id: 'long-polling',
    name: 'Events by long polling',
    about: 'There are no webhooks: what is new is asked for, again and again, and the asking waits there until something is.',
    token: 'the token',
    then: 'Nothing more: Primrose asks for what is new.',
    profile: profileOf({
      polls: { get: '/updates?after={{ since }}&wait=20', next: 'body.last', every: 1 },
      events: 'body.updates',
      event: {
        ...NAMED,
        means: 'item.kind == "edit" ? "edit" : item.kind == "seen" ? "receipt" : item.kind == "sign" ? "reaction" : "message"',
        id: 'item.id',
        sender: 'item.from.id',
        text: 'item.text',
        choice: 'item.button',
        pictures: 'item.files.map(f, f.address)',
        room: 'item.room',
        about: 'item.message',
        sign: 'item.sign',
      },
      calls: {
        address: 'https://messenger.example',
        headers: { 'x-token': '{{ secret.token }}' },
        message: {
          post: '/rooms/{{ to }}/messages',
          body: { text: '{{ text }}', buttons: BUTTONS, pictures: '{{ pictures }}', answers: '{{ answers }}' },
          id: 'answer.id',
        },
        typing: { post: '/rooms/{{ to }}/typing', body: {} },
      },
      longest: 2000,
    }),
  },
];

/** The mapping of a shape for a messenger at an address; undefined where there is no such shape. */
export function readyProfile(id: string, address: string): HookProfile | undefined {
  const found = READY_MAPPINGS.find((m) => m.id === id);
  return found && { ...found.profile, calls: { ...found.profile.calls, address } };
}
