import { Worker } from 'node:worker_threads';
import type { Clock } from '../base/clock.js';
import { Refused } from '../base/refused.js';
import type { Limits } from '../start/limits.js';
import type { FileResults, FileTask, FileTaskName, FileTasks, ReadMessage } from './reading-worker.js';

/** Files that are read at once, and that wait for it. */
const AT_ONCE = 2;
const MOST_WAITING = 20;

/** Reads what people import and writes what they export, each file in a thread of its own with a limit of time and memory. */
export class FileReading {
  readonly #clock: Clock;
  readonly #limits: Pick<Limits, 'importSeconds' | 'importMegabytes'>;
  readonly #workers = new Set<Worker>();
  readonly #waiting: (() => void)[] = [];
  #reading = 0;

  constructor(clock: Clock, limits: Pick<Limits, 'importSeconds' | 'importMegabytes'>) {
    this.#clock = clock;
    this.#limits = limits;
  }

  /** The document in a file, one JSON document or a zip of a folder, with what came beside it. Refused where it is none, or takes too much to read. */
  read(bytes: Uint8Array): Promise<FileResults['document']> {
    return this.#work('document', { bytes });
  }

  /** The cells of a CSV or XLSX file, by line. Refused where it is none, or takes too much to read. */
  readLines(bytes: Uint8Array, type: string): Promise<string[][]> {
    return this.#work('lines', { bytes, type });
  }

  /** Lines as an XLSX file. Refused where it takes too much to write. */
  writeWorkbook(name: string, lines: readonly (readonly string[])[]): Promise<Uint8Array> {
    return this.#work('workbook', { name, lines });
  }

  /** What came of a page as a file. Refused where it takes too much to write. */
  writePage(of: FileTasks['page']): Promise<FileResults['page']> {
    return this.#work('page', of);
  }

  async #work<N extends FileTaskName>(task: N, of: FileTasks[N]): Promise<FileResults[N]> {
    if (this.#reading >= AT_ONCE) {
      if (this.#waiting.length >= MOST_WAITING) throw new Refused('imports-busy', { waiting: MOST_WAITING });
      await new Promise<void>((resolve) => this.#waiting.push(resolve));
    }
    this.#reading++;
    try {
      return resultOf<N>(await this.#inThread({ task, of }));
    } finally {
      this.#reading--;
      this.#waiting.shift()?.();
    }
  }

  async close(): Promise<void> {
    await Promise.all([...this.#workers].map((w) => w.terminate()));
  }

  #inThread(asked: FileTask): Promise<ReadMessage> {
    const { importSeconds: seconds, importMegabytes: megabytes } = this.#limits;
    const worker = new Worker(new URL('./reading-worker.js', import.meta.url), {
      resourceLimits: { maxOldGenerationSizeMb: megabytes },
    });
    this.#workers.add(worker);
    const tooMuch = new Refused('file-too-much', { seconds, megabytes });
    return new Promise<ReadMessage>((resolve, reject) => {
      const endLate = this.#clock.after(seconds * 1000, () => reject(tooMuch));
      worker.once('message', resolve);
      worker.once('error', (error: NodeJS.ErrnoException) => reject(error.code === 'ERR_WORKER_OUT_OF_MEMORY' ? tooMuch : error));
      worker.once('exit', () => {
        endLate();
        reject(new Error('reading was stopped'));
      });
      worker.postMessage(asked);
    }).finally(() => {
      this.#workers.delete(worker);
      void worker.terminate();
    });
  }
}

/** What a thread was asked for. It answers with the result of its task, which the compiler cannot see. */
function resultOf<N extends FileTaskName>(message: ReadMessage): FileResults[N] {
  if ('result' in message) return message.result as FileResults[N];
  if ('refused' in message) throw new Refused(message.refused.code, message.refused.facts);
  throw new Error(message.error);
}
