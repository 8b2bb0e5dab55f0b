/** The members of the office's staff who see to cases; all made up. */
export const STAFF: Readonly<Record<string, string>> = {
  'orla.quill@marrow-sound.example': 'Orla Quill',
  'bram.teal@marrow-sound.example': 'Bram Teal',
  'ines.harrow@marrow-sound.example': 'Ines Harrow',
};
export const CASE_STATES = ['open', 'assigned', 'resolved'] as const;
export type CaseState = (typeof CASE_STATES)[number];

/** Something that nobody at the desk could answer: a member of staff sees to it. */
export interface Case {
  readonly number: string;
  readonly question: string;
  readonly name: string;
  /** Where whoever asked is told; empty where they ask again themselves. */
  readonly reach: string;
  readonly state: CaseState;
  /** The e-mail address of who sees to it; empty where nobody does yet. */
  readonly assigned: string;
  /** What was found out: told to whoever asked. */
  readonly answer: string;
  /** Notes of the staff, for themselves. */
  readonly notes: readonly string[];
}

export type CaseResult =
  { readonly ok: true; readonly case: Case } | { readonly ok: false; readonly status: number; readonly detail: string };

const MOST_CASES = 10_000;
const MOST_NOTES = 50;
const MOST_TEXT = 1000;
const cut = (text: string, most = MOST_TEXT): string => text.trim().slice(0, most);
const refused = (status: number, detail: string): CaseResult => ({ ok: false, status, detail });

/** The cases of the office, in memory; `save` is called after every change. */
export class Cases {
  readonly #cases: Map<string, Case>;
  readonly #byKey = new Map<string, string>();
  readonly #save: (cases: Case[]) => void;

  constructor(cases: readonly Case[], save: (cases: Case[]) => void) {
    this.#cases = new Map(cases.map((c) => [c.number, c]));
    this.#save = save;
  }

  list(): Case[] {
    return [...this.#cases.values()];
  }

  find(number: string): Case | undefined {
    return this.#cases.get(number.toUpperCase().replace(/[^A-Z0-9]/g, ''));
  }

  /** Opens a case once per idempotency key; given to a member of staff where one is named by their e-mail address. */
  open(asked: { question: string; name: string; reach: string; assigned: string }, key: string | undefined): CaseResult {
    const before = key === undefined ? undefined : this.find(this.#byKey.get(key) ?? '');
    if (before) return { ok: true, case: before };
    if (asked.question.trim() === '') return refused(400, 'question is needed');
    if (this.#cases.size >= MOST_CASES) return refused(507, 'the office has too many cases');
    const to = staffAddress(asked.assigned);
    if (to === undefined) return refused(422, nobody(asked.assigned));
    const opened: Case = {
      number: `C${this.#cases.size + 1001}`,
      question: cut(asked.question),
      name: cut(asked.name, 80),
      reach: cut(asked.reach, 200),
      state: to === '' ? 'open' : 'assigned',
      assigned: to,
      answer: '',
      notes: [],
    };
    if (key !== undefined) this.#byKey.set(key, opened.number);
    return this.#store(opened);
  }

  /** Gives a case to somebody, adds a note, or resolves it with an answer. */
  change(number: string, change: { assigned?: string; note?: string; answer?: string; state?: CaseState }): CaseResult {
    const present = this.find(number);
    if (!present) return refused(404, 'there is no such case');
    const to = change.assigned === undefined ? present.assigned : staffAddress(change.assigned);
    if (to === undefined) return refused(422, nobody(change.assigned ?? ''));
    const answer = change.answer === undefined ? present.answer : cut(change.answer);
    const wanted = change.state ?? present.state;
    if (wanted === 'resolved' && answer === '') return refused(422, 'a case is resolved with an answer');
    const note = cut(change.note ?? '');
    const notes = note === '' ? present.notes : [...present.notes, note].slice(-MOST_NOTES);
    const state = wanted === 'resolved' ? 'resolved' : to === '' ? 'open' : 'assigned';
    return this.#store({ ...present, assigned: to, answer, notes, state });
  }

  #store(kept: Case): CaseResult {
    this.#cases.set(kept.number, kept);
    this.#save(this.list());
    return { ok: true, case: kept };
  }
}

/** The address as the office knows it, '' for nobody; undefined where nobody of the office has it. */
function staffAddress(address: string): string | undefined {
  const known = address.trim().toLowerCase();
  return known === '' || Object.hasOwn(STAFF, known) ? known : undefined;
}

const nobody = (address: string): string => `nobody at the office has the address ${cut(address, 100)}`;

/** A case as whoever asked may see it: without the notes of the staff, and with who sees to it by their name. */
export function toldCase({ number, question, state, assigned, answer }: Case): Record<string, string> {
  return { number, question, state, assigned_to: STAFF[assigned] ?? '', answer };
}
