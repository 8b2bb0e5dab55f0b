import type { TakenAs, Value } from '../../document/shapes.js';
import { escapeMarkdown } from '../../text/markdown.js';
import { wellFormed } from '../../text/well-formed.js';
import type { Message } from '../message.js';
import type { Considered, Taken } from '../sheet.js';
import type { LaterWish, OfferedWay, PastWish, RestingTalk, TalkState, Way } from '../types.js';
import { talkWords, type TalkSaying } from './words.js';

/** So much of a conversation is kept beside its flows. */
const MOST_PAST = 5;
const MOST_LATER = 3;
const MOST_OFFERS = 6;
const SAID_SIZE = 4000;
const MOST_CONSIDERED = 6;
/** A wish in the words of the visitor, as the bot repeats it. */
const QUOTED = 80;
const WISH_SIZE = 500;
/** A question leans on one that was looked up so many events before at most. */
const LEANS_FOR = 4;
/** So many files of a conversation are looked in. */
const MOST_FILES = 10;

/** Where a saying is worded and counted: what a turn knows of itself. */
export interface Speaker {
  readonly language: () => string;
  readonly others: readonly string[];
  /** Which of so many wordings comes next. */
  readonly next: (key: string, many: number) => number;
}

/** What a turn keeps of the conversation beside its flows, and how it took the message. */
export class TurnTalk {
  misses: number;
  /** Which event of the conversation this is, however many turns it rested in. */
  readonly turn: number;
  readonly #soFar: RestingTalk | undefined;
  /** The message was understood, so a row of misses is over. */
  readonly #before: TalkState;
  readonly #speaker: Speaker;
  readonly #considered: Considered[] = [];
  #past: readonly PastWish[];
  #later: readonly LaterWish[];
  #offers: OfferedWay[] = [];
  #taken: { as: TakenAs; of?: string } | undefined;
  #lead: string | undefined;
  #looked: TalkState['looked'];
  #files: NonNullable<TalkState['files']>;
  #leadsQuestion = false;

  /** `soFar` is what was said and kept in the parts before of a turn that rested. */
  constructor(state: TalkState | undefined, speaker: Speaker, soFar?: RestingTalk) {
    this.#before = state ?? {};
    this.#soFar = soFar;
    this.turn = (this.#before.turn ?? 0) + (soFar ? 0 : 1);
    this.#lead = soFar?.lead;
    this.#leadsQuestion = soFar?.leadsQuestion ?? false;
    if (soFar) this.#offers = [...(this.#before.offers ?? [])];
    this.#speaker = speaker;
    this.misses = this.#before.misses ?? 0;
    this.#past = this.#before.past ?? [];
    this.#later = this.#before.later ?? [];
    this.#looked = this.#before.looked;
    this.#files = this.#before.files ?? [];
  }

  /** One of the wordings of a saying, with a value in it; its marks are escaped. */
  words(saying: TalkSaying, value = ''): string {
    const list = talkWords(saying, this.#speaker.language(), this.#speaker.others);
    const at = list.length > 1 ? this.#speaker.next(`talk/${saying}`, list.length) : 0;
    const said = (list[at] ?? '').replace('{}', () => escapeMarkdown(value));
    return said.slice(0, 1).toUpperCase() + said.slice(1);
  }

  /** Notes how the message was taken; what is noted first stays. */
  took(as: TakenAs, of?: string): void {
    this.#taken ??= { as, ...(of === undefined ? {} : { of }) };
  }

  /** Notes that there was more in the message than what was noted. */
  tookAlso(as: TakenAs, of: string): void {
    this.#taken = { as, of };
  }

  /** Notes what else the message might have been, with how sure that is. */
  considered(as: TakenAs, what: string, sure?: number): void {
    if (this.#considered.length < MOST_CONSIDERED)
      this.#considered.push({
        as,
        what: clipped(what),
        ...(sure === undefined ? {} : { score: Math.round(sure * 1000) / 1000 }),
      });
  }

  taken(): Taken | undefined {
    const { as, of } = this.#taken ?? {};
    if (as === undefined) return undefined;
    return {
      as,
      ...(of === undefined ? {} : { of: clipped(of) }),
      ...(this.#considered.length > 0 ? { considered: this.#considered } : {}),
    };
  }

  /** Words before what is said next. */
  leadWith(words: string): void {
    this.#lead = words;
    this.#leadsQuestion = false;
  }

  /** The same, behind words that are kept for it already. */
  leadAlso(words: string): void {
    this.leadWith(this.#lead === undefined || this.#leadsQuestion ? words : `${this.#lead} ${words}`);
  }

  /** Words before the question that is asked next. */
  leadQuestionWith(words: string): void {
    this.#lead = words;
    this.#leadsQuestion = true;
  }

  /** A text with the words before it that were kept for it. */
  led(text: string, asks: boolean): string {
    const lead = this.#lead;
    if (lead === undefined || text.trim() === '' || (this.#leadsQuestion && !asks)) return text;
    this.#lead = undefined;
    return `${lead} ${text}`;
  }

  /** The wishes that were seen to, the newest first. */
  get past(): readonly PastWish[] {
    return this.#past.toReversed();
  }

  remember(wish: Omit<PastWish, 'ended'>): void {
    this.#past = [...this.#past, { ...wish, ended: this.turn }].slice(-MOST_PAST);
  }

  /** The buttons that the bot offered of itself in its last turn. */
  get offered(): readonly OfferedWay[] {
    return this.#before.offers ?? [];
  }

  /** Buttons of the bot itself were offered in this turn. */
  get hasOffers(): boolean {
    return this.#offers.length > 0;
  }

  /** Offers ways to go on; returns them as buttons. */
  offer(ways: readonly { readonly says: string; readonly way: Way }[]): NonNullable<Message['choices']> {
    const begin = this.#offers.length;
    this.#offers.push(...ways.slice(0, MOST_OFFERS - begin).map((w, i) => ({ id: `talk-${begin + i + 1}`, ...keptWay(w) })));
    return this.#offers.slice(begin).map(({ id, says }) => ({ id, says }));
  }

  /** Keeps a wish for later; false where there are too many. */
  keepForLater(wish: LaterWish): boolean {
    if (this.#later.length >= MOST_LATER) return false;
    this.#later = [...this.#later, { ...wish, text: wishWords(wish.text), values: keptValues(wish.values) }];
    return true;
  }

  get hasLater(): boolean {
    return this.#later.length > 0;
  }

  nextLater(): LaterWish | undefined {
    const [next, ...more] = this.#later;
    this.#later = more;
    return next;
  }

  dropLater(): void {
    this.#later = [];
  }

  /** The question that was looked up last, where that was a moment ago: the next one may lean on it. */
  get lookedUp(): string | undefined {
    const last = this.#looked;
    return last && this.turn > last.turn && this.turn - last.turn <= LEANS_FOR ? last.question : undefined;
  }

  /** The files that were sent in this conversation, the newest last. */
  get files(): readonly { readonly name: string; readonly address: string }[] {
    return this.#files;
  }

  /** Notes files that came with a message. */
  sent(files: readonly { readonly name: string; readonly address: string }[]): void {
    const known = this.#files.filter((f) => !files.some((n) => n.address === f.address));
    const fresh = files.map(({ name, address }) => ({
      name: wellFormed(name.slice(0, QUOTED)),
      address: address.slice(0, WISH_SIZE),
    }));
    this.#files = [...known, ...fresh].slice(-MOST_FILES);
  }

  /** Notes what was looked up. */
  looked(question: string): void {
    this.#looked = { question: wellFormed(question.slice(0, WISH_SIZE)), turn: this.turn };
  }

  /** What the bot said in its last turn. */
  get saidBefore(): readonly Pick<Message, 'text' | 'choices'>[] {
    return this.#before.said ?? [];
  }

  /** Nothing of what was before counts any more: a conversation begins. */
  forget(): void {
    this.misses = 0;
    this.#past = [];
    this.#later = [];
    this.#looked = undefined;
    this.#files = [];
  }

  /** All that was said in a turn, the parts before a rest included. */
  saidInTurn(said: readonly Message[]): string {
    return this.#kept(said)
      .map((m) => m.text)
      .join('\n\n');
  }

  /** What a turn that rests leaves to the one that goes on with it. */
  resting(said: readonly Message[]): RestingTalk {
    return {
      said: this.#kept(said),
      ...(this.#lead === undefined ? {} : { lead: this.#lead, leadsQuestion: this.#leadsQuestion }),
    };
  }

  /** What fits; what does not is passed over, so that it comes to the same wherever the turn rested. */
  #kept(said: readonly Message[]): Pick<Message, 'text' | 'choices'>[] {
    let left = SAID_SIZE;
    return [...(this.#soFar?.said ?? []), ...said].flatMap(({ text, choices }) => {
      const size = text.length + JSON.stringify(choices ?? null).length;
      if (size > left) return [];
      left -= size;
      return [{ text, ...(choices ? { choices } : {}) }];
    });
  }

  /** What is kept for the next turn. `said` is what this one said; where it said nothing, what was said before stays. */
  state(said: readonly Message[]): TalkState {
    const kept = this.#kept(said);
    const saying = kept.length > 0 ? kept : this.saidBefore;
    return {
      turn: this.turn,
      ...(this.misses > 0 ? { misses: this.misses } : {}),
      ...(this.#past.length > 0 ? { past: this.#past } : {}),
      ...(this.#later.length > 0 ? { later: this.#later } : {}),
      ...(this.#offers.length > 0 ? { offers: this.#offers } : {}),
      ...(this.#looked && this.turn - this.#looked.turn < LEANS_FOR ? { looked: this.#looked } : {}),
      ...(this.#files.length > 0 ? { files: this.#files } : {}),
      ...(saying.length > 0 ? { said: saying } : {}),
    };
  }
}

/** The words of a wish as they are kept with it. */
export const wishWords = (text: string): string => wellFormed(text.slice(0, WISH_SIZE));

/** Words of a visitor as the bot says them: without the mark at their end. */
export const quoted = (text: string): string => clipped(text.replace(/[\s.,;!]+$/, ''));

/** Words of a visitor as they stand in lists and sheets. */
export function clipped(text: string): string {
  const even = text.replace(/\s+/g, ' ').trim();
  return even.length > QUOTED ? `${wellFormed(even.slice(0, QUOTED - 1))}…` : even;
}

const VALUE_SIZE = 1000;
const VALUES_SIZE = 6000;

/** A button of the bot with so much of its values as is kept. */
function keptWay<W extends { readonly way: Way }>(offered: W): W {
  const { way } = offered;
  return 'values' in way ? { ...offered, way: { ...way, values: keptValues(way.values) } } : offered;
}

/** Of the variables of a flow what is kept when it is left: those that are known and short. */
export function keptValues(values: Readonly<Record<string, Value>>): Record<string, Value> {
  let left = VALUES_SIZE;
  return Object.fromEntries(
    Object.entries(values).filter(([, v]) => {
      if (v === null) return false;
      const { length } = JSON.stringify(v);
      if (length > VALUE_SIZE || length > left) return false;
      left -= length;
      return true;
    }),
  );
}
