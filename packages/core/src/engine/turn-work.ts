import type { Deed } from '../honesty/index.js';
import { deedOf, withDeed } from './deeds.js';
import { NOTHING_SPENT, type Spending } from './effects/spent.js';
import type { Performed } from './effects/registry.js';
import type { BotDocument } from '../document/schema.js';
import type { Session } from './types.js';

/** What agents did and spent, while a turn runs: what was done in the conversation, and what each of them has used up. */
export class TurnWork {
  /** How often agents asked a model in this turn, however deep they stand in each other. */
  asked: number;
  readonly #askedBefore: number;
  /** What was done in this conversation, as far as agents' words are held against it. */
  #deeds: readonly Deed[];
  /** What each agent has spent in this conversation, by flow/node. */
  #spent: Readonly<Record<string, Spending>>;
  /** The same in this turn. */
  #spentHere: Readonly<Record<string, Spending>> = {};

  /** `asked` is how often models were asked before, in the same turn. */
  constructor(work: Session['work'], asked: number) {
    this.#deeds = work?.deeds ?? [];
    this.#spent = work?.spent ?? {};
    this.asked = asked;
    this.#askedBefore = asked;
  }

  get deeds(): readonly Deed[] {
    return this.#deeds;
  }

  /** What was spent in this turn, by flow/node. */
  get spentHere(): Readonly<Record<string, Spending>> {
    return this.#spentHere;
  }

  /** What an agent has spent in this conversation. */
  spentBy(agent: string): Spending {
    return this.#spent[agent] ?? NOTHING_SPENT;
  }

  spends(agent: string, { steps, tokens, money }: Spending): void {
    const more = (before: Spending) => {
      return { steps: before.steps + steps, tokens: before.tokens + tokens, money: before.money + money };
    };
    this.#spent = { ...this.#spent, [agent]: more(this.spentBy(agent)) };
    this.#spentHere = { ...this.#spentHere, [agent]: more(this.#spentHere[agent] ?? NOTHING_SPENT) };
  }

  did(document: BotDocument, performed: Performed): void {
    const deed = deedOf(document, performed);
    if (deed) this.#deeds = withDeed(this.#deeds, deed);
  }

  /** How often models were asked in a branch counts whether it came to its end or not. */
  mergeAsked(child: TurnWork): void {
    this.asked += child.asked - child.#askedBefore;
  }

  merge(child: TurnWork): void {
    for (const deed of child.#deeds) if (!this.#deeds.includes(deed)) this.#deeds = withDeed(this.#deeds, deed);
    for (const [agent, spent] of Object.entries(child.#spentHere)) this.spends(agent, spent);
  }

  /** As the session keeps it; nothing where there is nothing. */
  kept(): Pick<Session, 'work'> {
    const [deeds, spent] = [this.#deeds, this.#spent];
    return deeds.length === 0 && Object.keys(spent).length === 0 ? {} : { work: { deeds, spent } };
  }
}
