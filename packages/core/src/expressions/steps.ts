/** What an expression may cost by itself, in steps: a step is one part of it worked out once, or 32 characters gone through. */
export const EXPRESSION_STEPS = 100_000;

/** Thrown where an expression costs too much; only `evaluate` sees it. */
export class OutOfSteps extends Error {}

/** The steps that are left to a turn. Every expression that is worked out in it spends some of them. */
export class Steps {
  readonly #each: number;
  readonly #all: number;
  #left: number;

  /** `each`: what one expression may spend of them. */
  constructor(all: number, each: number) {
    this.#all = all;
    this.#left = all;
    this.#each = each;
  }

  /** What the next expression may spend. */
  get next(): number {
    return Math.max(0, Math.min(this.#left, this.#each));
  }

  get spent(): number {
    return this.#all - this.#left;
  }

  /** An equal share of what is left, for one of `of` parts that run at once. */
  share(of: number): Steps {
    return new Steps(Math.floor(Math.max(0, this.#left) / of), this.#each);
  }

  spend(steps: number): void {
    this.#left -= steps;
  }

  /** Why an expression came to its end before it was worked out. */
  get reason(): string {
    return this.#left <= 0 && this.#all !== this.#each
      ? 'this turn has worked out all that one turn may: it goes through too many values'
      : `it takes more than ${this.#each} steps: it goes through too many values`;
  }
}
