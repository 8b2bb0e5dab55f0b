import { parentPort } from 'node:worker_threads';
import { trainListener, type BotDocument } from '@primrose/core';

/** Trains classifiers beside the service, so that nobody waits for it. */
parentPort?.on('message', (document: BotDocument) => {
  try {
    parentPort?.postMessage({ classifier: trainListener(document) });
  } catch (error) {
    parentPort?.postMessage({ error: String(error) });
  }
});
