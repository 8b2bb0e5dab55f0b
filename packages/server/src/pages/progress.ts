import { makingsOf, type BotDocument, type Value } from '@primrose/core';
import type { Hint, Made, Wakes } from '../turns/wakes.js';
import type { Live } from './views.js';

interface Under {
  begun: boolean;
  writing?: string;
  value?: Value;
}

/** What is being made of pages in this process, while it is. Provisional: what counts is stored with the last turn of a run. */
export class PageProgress {
  readonly #wakes: Wakes;
  readonly #runs = new Map<
    string,
    { readonly outputs: Map<string, Under>; readonly followers: Set<() => void>; stop: () => void }
  >();

  constructor(wakes: Wakes) {
    this.#wakes = wakes;
  }

  /** Begins to watch a run that makes the outputs of a flow; to be called before it begins, and ended when it is over. */
  watch(run: string, document: BotDocument, flow: string): void {
    if (this.#runs.has(run)) return;
    const makings = [...makingsOf(document, flow).values()];
    const outputs = new Map<string, Under>(makings.map((m) => [m.output, { begun: false }]));
    const entry = { outputs, followers: new Set<() => void>(), stop: () => undefined as void };
    const heard = (made: Made): void => {
      for (const m of makings) {
        const under = outputs.get(m.output);
        if (!under) continue;
        const key = made.written && `${made.flow} ${made.written.target}`;
        if (key !== undefined && m.written.has(key)) {
          delete under.writing;
          under.value = made.written?.value ?? null;
        }
        if (!m.makers.some((p) => p.flow === made.flow && p.node === made.node)) continue;
        under.begun = true;
        if (made.words !== undefined) under.writing = made.words;
      }
      entry.followers.forEach((tell) => tell());
    };
    entry.stop = this.#wakes.listenForHints(run, (hint: Hint) => 'made' in hint && heard(hint.made));
    this.#runs.set(run, entry);
  }

  end(run: string): void {
    this.#runs.get(run)?.stop();
    this.#runs.delete(run);
  }

  live(run: string | undefined): Live {
    return (run === undefined ? undefined : this.#runs.get(run)?.outputs) ?? new Map<string, Under>();
  }

  /** Calls `tell` whenever something of a run changes. */
  follow(run: string, tell: () => void): () => void {
    const entry = this.#runs.get(run);
    entry?.followers.add(tell);
    return () => void entry?.followers.delete(tell);
  }
}
