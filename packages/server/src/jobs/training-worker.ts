import { parentPort } from 'node:worker_threads';
import { trainListener, type BotDocument } from '@primrose/core';

/** Trains classifiers beside the service, so that nobody waits for it. */
parentPort?.on('message', ({ id, document }: { id: number; document: BotDocument }) => {
  try {
    parentPort?.postMessage({ id, classifier: trainListener(document) });
  } catch (error) {
    parentPort?.postMessage({ id, error: String(error) });
  }
});
