/** A person with a phone of the stand-in messenger, from whom tests write. */
export class Phone {
  readonly #messenger: string;
  readonly #number: string;

  constructor(messenger: string, number: string) {
    this.#messenger = messenger;
    this.#number = number;
  }

  async write(said: { words?: string; pick?: { id: string; label: string }; picture?: string }): Promise<void> {
    await fetch(`${this.#messenger}/phones/${this.#number}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(said),
    });
  }

  async letters(): Promise<Letter[]> {
    const { phones } = (await (await fetch(`${this.#messenger}/phones`)).json()) as {
      phones: { number: string; letters: Letter[] }[];
    };
    return phones.find((p) => p.number === this.#number)?.letters ?? [];
  }

  /** Writes and waits until the desk has said something that holds `words`; returns all that it said since. */
  async ask(said: string, words: string): Promise<Letter[]> {
    const before = (await this.letters()).length;
    await this.write({ words: said });
    return this.until(words, before);
  }

  async until(words: string, before = 0): Promise<Letter[]> {
    for (let i = 0; i < 200; i++) {
      const all = (await this.letters()).slice(before).filter((l) => l.by === 'desk');
      if (all.some((l) => l.words.includes(words))) return all;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    const last = (await this.letters()).slice(-4).map((l) => l.words);
    throw new Error(`nobody said "${words}"; the last were ${JSON.stringify(last)}`);
  }
}

export interface Letter {
  readonly by: 'person' | 'desk';
  readonly words: string;
  readonly picks: readonly { readonly id: string; readonly label: string }[];
}
