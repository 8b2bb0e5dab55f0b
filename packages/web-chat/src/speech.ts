/** What is used of the browser's own speech recognition (Web Speech API). */
interface Recognition extends EventTarget {
  lang: string;
  interimResults: boolean;
  start(): void;
  stop(): void;
  abort(): void;
}
interface Heard extends Event {
  readonly results: ArrayLike<ArrayLike<{ readonly transcript: string }> & { readonly isFinal: boolean }>;
}
type MakesRecognition = new () => Recognition;

const recognitionOf = (): MakesRecognition | undefined => {
  const browser = globalThis as { SpeechRecognition?: MakesRecognition; webkitSpeechRecognition?: MakesRecognition };
  return browser.SpeechRecognition ?? browser.webkitSpeechRecognition;
};

export interface Listening {
  /** What was heard so far, and whether that is all. */
  readonly heard: (text: string, done: boolean) => void;
  /** It has ended; `refused` where the browser may not listen. */
  readonly ended: (refused: boolean) => void;
}

/** Speaks and listens by what the browser has for it; what it has not is not offered. */
export class Speech {
  readonly canListen = recognitionOf() !== undefined;
  readonly canSpeak = 'speechSynthesis' in globalThis;
  /** What is said is read aloud. */
  aloud = false;
  #listens: Recognition | undefined;

  get listening(): boolean {
    return this.#listens !== undefined;
  }

  /** Listens until something was said; what is read aloud just now falls silent. */
  listen(language: string, { heard, ended }: Listening): void {
    const Makes = recognitionOf();
    if (!Makes || this.#listens) return;
    this.hush();
    const listens = new Makes();
    listens.lang = language;
    listens.interimResults = true;
    let refused = false;
    listens.addEventListener('result', (event) => {
      const results = [...Array.from((event as Heard).results)];
      heard(
        results
          .map((r) => r[0]?.transcript ?? '')
          .join(' ')
          .trim(),
        results.at(-1)?.isFinal === true,
      );
    });
    listens.addEventListener('error', (event) => {
      refused = /^(?:not-allowed|service-not-allowed|audio-capture)$/.test((event as Event & { error?: string }).error ?? '');
    });
    listens.addEventListener('end', () => {
      this.#listens = undefined;
      ended(refused);
    });
    this.#listens = listens;
    listens.start();
  }

  stop(): void {
    this.#listens?.stop();
  }

  /** Reads something aloud, behind what is read just now. */
  say(text: string, language: string): void {
    if (!this.aloud || !this.canSpeak || text.trim() === '') return;
    const words = new SpeechSynthesisUtterance(text);
    words.lang = language;
    speechSynthesis.speak(words);
  }

  hush(): void {
    if (this.canSpeak) speechSynthesis.cancel();
  }
}
