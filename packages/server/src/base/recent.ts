/** Keeps the values that were used last. */
export class Recent<T> {
  readonly #kept = new Map<string, T>();
  readonly #most: number;

  constructor(most: number) {
    this.#most = most;
  }

  get(key: string): T | undefined {
    const found = this.#kept.get(key);
    if (found !== undefined) this.set(key, found);
    return found;
  }

  set(key: string, value: T): T {
    this.#kept.delete(key);
    this.#kept.set(key, value);
    const [oldest] = this.#kept.keys();
    if (this.#kept.size > this.#most && oldest !== undefined) this.#kept.delete(oldest);
    return value;
  }

  delete(key: string): void {
    this.#kept.delete(key);
  }
}
