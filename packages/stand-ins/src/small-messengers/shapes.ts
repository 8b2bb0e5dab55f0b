import { createHmac } from 'node:crypto';

/** What somebody does at one of the small messengers. */
export interface Deed {
  readonly id: string;
  readonly kind: 'message' | 'edit' | 'receipt' | 'reaction';
  readonly from: { readonly id: string; readonly name: string; readonly first_name?: string; readonly language?: string };
  readonly text?: string;
  /** The button that was pressed. */
  readonly pressed?: string;
  /** Files by their ids here. */
  readonly files?: readonly string[];
  readonly room?: string;
  /** The message that it is about. */
  readonly message?: string;
  readonly sign?: string;
}

/** A call as the bot made it, whatever its shape. */
export interface Got {
  readonly what: 'message' | 'picture' | 'typing';
  readonly to: string;
  readonly text?: string;
  readonly buttons?: readonly { readonly value: string; readonly label: string }[];
  readonly links?: readonly { readonly label: string; readonly address: string }[];
  readonly pictures?: readonly string[];
  readonly answers?: string;
}

type Body = Readonly<Record<string, unknown>>;

/** One shape of messenger API. */
export interface Shape {
  /** What a webhook with some deeds looks like; undefined for one that is asked for its events. */
  readonly hook?: (deeds: readonly Deed[], files: (id: string) => string) => unknown;
  /** The headers of a webhook. */
  readonly headers: (token: string, body: string, at: number) => Readonly<Record<string, string>>;
  /** True where a call shows the token. */
  readonly shows: (token: string, path: string, headers: Readonly<Record<string, unknown>>) => boolean;
  /** What a call to a path behind the token means; undefined where there is nothing there. */
  readonly call: (path: string, body: Body) => Got | undefined;
  /** The answer to a call that was taken. */
  readonly answer: (id: string) => unknown;
}

const text = (v: unknown): string => (typeof v === 'string' ? v : '');
const list = <T>(v: unknown): readonly T[] => (Array.isArray(v) ? (v as T[]) : []);
const bearer = (token: string, headers: Readonly<Record<string, unknown>>): boolean =>
  headers['authorization'] === `Bearer ${token}`;
const seal = (token: string, of: string): string => createHmac('sha256', token).update(of).digest('hex');

const inPath: Shape = {
  hook: (deeds) => ({
    updates: deeds.map((d) => ({
      id: d.id,
      type: d.kind === 'edit' ? 'edited' : d.kind === 'receipt' ? 'seen' : d.kind,
      from: d.from,
      text: d.text,
      pressed: d.pressed,
      files: d.files,
      room: d.room,
      message: d.message,
      sign: d.sign,
    })),
  }),
  headers: (token) => ({ 'x-bot-word': token }),
  shows: (token, path) => decodeURIComponent(path).startsWith(`/bot/${token}/`),
  call: (path, b) => {
    const to = text(b['chat']);
    const what = path.split('/').at(-1);
    if (what === 'typing') return { what: 'typing', to };
    if (what === 'picture') return { what: 'picture', to, pictures: [text(b['address'])] };
    if (what !== 'send') return undefined;
    return {
      what: 'message',
      to,
      text: text(b['text']),
      buttons: list(b['buttons']),
      links: list(b['links']),
      answers: text(b['replies_to']),
    };
  },
  answer: (id) => ({ ok: true, message: id }),
};

const signed: Shape = {
  hook: (deeds, address) => ({
    type: 'events',
    events: deeds.map((d) => ({
      id: d.id,
      kind:
        d.kind === 'edit'
          ? 'message.edited'
          : d.kind === 'receipt'
            ? 'message.read'
            : d.kind === 'reaction'
              ? 'reaction'
              : 'message.new',
      from: d.from,
      text: d.text,
      action: d.pressed,
      attachments: (d.files ?? []).map((f) => ({ address: address(f) })),
      channel: d.room,
      message: d.message,
      sign: d.sign,
    })),
  }),
  headers: (token, body, at) => ({ 'x-timestamp': String(at), 'x-signature': `v1=${seal(token, `${at}.${body}`)}` }),
  shows: (token, _path, headers) => bearer(token, headers),
  call: (path, b) => {
    const to = text(b['to']);
    if (path === '/v1/typing') return { what: 'typing', to };
    if (path !== '/v1/messages') return undefined;
    const more = {
      buttons: list<{ value: string; label: string }>(b['actions']),
      links: list<{ label: string; address: string }>(b['links']),
    };
    return { what: 'message', to, text: text(b['text']), ...more, pictures: list(b['pictures']), answers: text(b['thread']) };
  },
  answer: (id) => ({ id }),
};

const challenge: Shape = {
  // One batch for each deed, as such messengers send them.
  hook: (deeds, address) => ({
    batches: deeds.map((d) => ({
      items: [
        {
          id: d.id,
          type: d.kind === 'receipt' ? 'status' : d.kind === 'reaction' ? 'reaction' : 'message',
          ...(d.kind === 'receipt' ? { status: 'read' } : {}),
          from: d.from,
          text: d.text,
          reply: d.pressed,
          media: (d.files ?? []).map((f) => ({ address: address(f) })),
          of: d.message,
          sign: d.sign,
        },
      ],
    })),
  }),
  headers: (token, body) => ({ 'x-seal': `sha256=${seal(token, body)}` }),
  shows: (token, _path, headers) => bearer(token, headers),
  call: (path, b) => {
    if (path !== '/messages') return undefined;
    const to = text(b['recipient']);
    if (b['picture'] !== undefined) return { what: 'picture', to, pictures: [text(b['picture'])] };
    return { what: 'message', to, text: text(b['text']), buttons: list(b['choices']), answers: text(b['answers']) };
  },
  answer: (id) => ({ message: id }),
};

const polling: Shape = {
  headers: () => ({}),
  shows: (token, _path, headers) => headers['x-token'] === token,
  call: (path, b) => {
    const [, to = '', what] = /^\/rooms\/([^/]+)\/(messages|typing)$/.exec(path) ?? [];
    if (what === undefined) return undefined;
    const room = decodeURIComponent(to);
    if (what === 'typing') return { what: 'typing', to: room };
    return {
      what: 'message',
      to: room,
      text: text(b['text']),
      buttons: list(b['buttons']),
      pictures: list(b['pictures']),
      answers: text(b['answers']),
    };
  },
  answer: (id) => ({ id }),
};

/** What one asking of the messenger that is asked for its events gives. */
export function updatesOf(deeds: readonly Deed[], last: number, address: (id: string) => string): unknown {
  const updates = deeds.map((d) => ({
    id: d.id,
    kind: d.kind === 'receipt' ? 'seen' : d.kind === 'reaction' ? 'sign' : d.kind,
    from: d.from,
    text: d.text,
    button: d.pressed,
    files: (d.files ?? []).map((f) => ({ address: address(f) })),
    room: d.room,
    message: d.message,
    sign: d.sign,
  }));
  return { updates, last };
}

/** All shapes, by the name of the mapping that is ready for each. */
export const SHAPES: Readonly<Record<string, Shape>> = {
  'token-in-path': inPath,
  'signed-webhooks': signed,
  challenge,
  'long-polling': polling,
};
