import { createHmac, randomUUID } from 'node:crypto';

/** Somebody who writes from a phone. All are made up. */
export interface Person {
  readonly number: string;
  readonly given: string;
  readonly family: string;
  readonly tongue: string;
}

export const PEOPLE: readonly Person[] = [
  { number: '771001', given: 'Isla', family: 'Marrick', tongue: 'en' },
  { number: '771002', given: 'Tamsin', family: 'Orde', tongue: 'en' },
  { number: '771003', given: 'Jonas', family: 'Feldhus', tongue: 'de' },
];

/** A room in which several people and one desk write. */
export interface Room {
  readonly id: string;
  readonly title: string;
  /** The desk that hears what is written there. */
  readonly desk: string;
  readonly people: readonly Person[];
}

const STAFF: readonly Person[] = [
  { number: '772001', given: 'Morna', family: 'Kell', tongue: 'en' },
  { number: '772002', given: 'Piet', family: 'Anselm', tongue: 'en' },
];

/** The desk to which people write from their phones. */
const FRONT_DESK = 'front';
export const ROOMS: readonly Room[] = [{ id: 'shore-room', title: 'Shore desk’s room', desk: 'shore', people: STAFF }];

/** One line on a phone. `by` is who wrote it; `picks` are the buttons under it. */
export interface Letter {
  readonly id: string;
  readonly by: 'person' | 'desk';
  readonly words: string;
  readonly picks: readonly { readonly id: string; readonly label: string }[];
  readonly pictures: readonly string[];
  /** Buttons that open a link. */
  readonly links?: readonly { readonly label: string; readonly url: string }[];
  /** Who wrote it, in a room. */
  readonly name?: string;
}

export interface Settings {
  readonly token: string;
  readonly seal: string;
  /** Every so many calls are answered with 429; 0 for never. */
  readonly busyEvery: number;
  /** Every so many webhooks are sent twice; 0 for never. */
  readonly twiceEvery: number;
}

/** What somebody sent: any file, as messengers call it. */
interface Picture {
  readonly type: string;
  readonly bytes: Buffer;
}

const MOST_PICTURES = 50;
/** So many letters stand on a phone; and so many keys of letters are known. */
const MOST_LETTERS = 500;
const MOST_KEYS = 5000;

interface HookAddress {
  readonly address: string;
}

const TRIES = 4;
const QUILL_MS = 4000;

/** What somebody says: words, a button, a picture. */
interface Said {
  readonly words?: string;
  readonly pick?: { readonly id: string; readonly label: string };
  readonly picture?: string;
}

/** The made-up messenger: phones and rooms, and a line to each desk by webhooks. */
export class Messenger {
  readonly settings: Settings;
  readonly #letters = new Map<string, Letter[]>(
    [...PEOPLE.map((p) => p.number), ...ROOMS.map((r) => r.id)].map((id) => [id, []]),
  );
  readonly #quills = new Map<string, number>();
  readonly #known = new Map<string, string>();
  readonly #hooks = new Map<string, HookAddress>();
  readonly #pictures = new Map<string, Picture>();
  #calls = 0;
  #sent = 0;

  constructor(settings: Settings) {
    this.settings = settings;
  }

  /** Sets where webhooks go, after the address has answered the handshake; the reason where it does not. */
  async setHook(address: string, check: string, desk = FRONT_DESK): Promise<string | undefined> {
    const word = randomUUID();
    const url = `${address}?gull_check=${encodeURIComponent(check)}&gull_word=${word}`;
    const answer = await fetch(url).then(
      async (r) => ({ status: r.status, text: await r.text() }),
      (error: unknown) => ({ status: 0, text: String(error) }),
    );
    if (answer.status !== 200 || answer.text !== word) return `the address answered with ${answer.status}, not with the word`;
    this.#hooks.set(desk, { address });
    return undefined;
  }

  get connected(): boolean {
    return this.#hooks.size > 0;
  }

  /** True when this call is one that the messenger has no time for. */
  isBusy(): boolean {
    const { busyEvery } = this.settings;
    return busyEvery > 0 && ++this.#calls % busyEvery === 0;
  }

  letters(number: string): readonly Letter[] | undefined {
    return this.#letters.get(number);
  }

  writing(number: string): boolean {
    return (this.#quills.get(number) ?? 0) > Date.now();
  }

  quill(number: string): void {
    this.#quills.set(number, Date.now() + QUILL_MS);
  }

  /** A letter from the desk; the same key again is the same letter. */
  deliver(to: string, letter: Omit<Letter, 'id' | 'by'>, key: string | undefined): string {
    const known = key === undefined ? undefined : this.#known.get(key);
    if (known !== undefined) return known;
    const id = randomUUID();
    if (key !== undefined) this.#known.set(key, id);
    const [oldest] = this.#known.keys();
    if (this.#known.size > MOST_KEYS && oldest !== undefined) this.#known.delete(oldest);
    this.#quills.delete(to);
    this.#put(to, { ...letter, id, by: 'desk' });
    const room = ROOMS.find((r) => r.id === to);
    void this.#send(room?.desk ?? FRONT_DESK, { kind: 'receipt', letter: id, from: { number: to } });
    return id;
  }

  #put(where: string, letter: Letter): void {
    const letters = this.#letters.get(where);
    letters?.push(letter);
    letters?.splice(0, letters.length - MOST_LETTERS);
  }

  /** A picture that somebody sent, by its id; desks fetch it with their token. */
  picture(id: string): Picture | undefined {
    return this.#pictures.get(id);
  }

  /** Somebody writes, presses a button or sends a picture: an address, or a `data:` address of which the desk gets one at `own`. */
  async write(from: Person, said: Said, own = ''): Promise<void> {
    const id = randomUUID();
    const pictures = said.picture === undefined ? [] : [said.picture];
    this.#put(from.number, { id, by: 'person', words: said.words ?? said.pick?.label ?? '', picks: [], pictures });
    await this.#send(FRONT_DESK, {
      kind: said.pick ? 'pick' : 'words',
      letter: id,
      from,
      ...(said.words === undefined ? {} : { words: said.words }),
      ...(said.pick === undefined ? {} : { pick: said.pick.id, words: said.pick.label }),
      ...this.#lent(pictures, own),
    });
  }

  /** Somebody writes in a room, or sends a picture to it; its desk hears it. */
  async writeInRoom(room: Room, from: Person, { words = '', picture }: Said, own = ''): Promise<void> {
    const id = randomUUID();
    const pictures = picture === undefined ? [] : [picture];
    this.#put(room.id, { id, by: 'person', words, picks: [], pictures, name: from.given });
    const said = words === '' ? {} : { words };
    const where = { id: room.id, title: room.title };
    await this.#send(room.desk, { kind: 'words', letter: id, from, ...said, ...this.#lent(pictures, own), room: where });
  }

  /** Pictures as a webhook names them. */
  #lent(pictures: readonly string[], own: string): { pictures?: string[] } {
    if (pictures.length === 0) return {};
    return {
      pictures: pictures.map((p) => {
        const [, type = '', bytes = ''] = /^data:([^;,]+);base64,(.+)$/.exec(p) ?? [];
        if (bytes === '') return p;
        const id = randomUUID();
        this.#pictures.set(id, { type, bytes: Buffer.from(bytes, 'base64') });
        const [oldest] = this.#pictures.keys();
        if (this.#pictures.size > MOST_PICTURES && oldest !== undefined) this.#pictures.delete(oldest);
        return `${own}/api/pictures/${id}`;
      }),
    };
  }

  async #send(desk: string, letter: unknown): Promise<void> {
    const hook = this.#hooks.get(desk);
    if (!hook) return;
    const body = JSON.stringify({ letters: [letter] });
    const seal = createHmac('sha256', this.settings.seal).update(body).digest('hex');
    const { twiceEvery } = this.settings;
    const times = twiceEvery > 0 && ++this.#sent % twiceEvery === 0 ? 2 : 1;
    for (let i = 0; i < times; i++) await post(hook.address, body, seal);
  }
}

/** Sends a webhook; one that is not taken comes again, a little later each time. */
async function post(address: string, body: string, seal: string): Promise<void> {
  for (let tries = 0; tries < TRIES; tries++) {
    const headers = { 'content-type': 'application/json', 'gull-seal': `sha256=${seal}` };
    const taken = await fetch(address, { method: 'POST', headers, body }).then(
      (r) => r.status < 500 && r.status !== 409,
      () => false,
    );
    if (taken) return;
    await new Promise((resolve) => setTimeout(resolve, 300 * 3 ** tries));
  }
}
