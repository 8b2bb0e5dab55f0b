import {
  crossValidate,
  nearDuplicates,
  samplesOf,
  textsToEncode,
  trainListener,
  type BotDocument,
  type ClassifierData,
  type Vectors,
} from '@primrose/core';
import { ENCODES } from './encoder.js';
import { ownLexicon } from './lexicon.js';

interface QualityJob {
  readonly document: BotDocument;
  readonly classifier: ClassifierData;
  readonly vectors?: Vectors | undefined;
}

/** What the threads of understanding can be asked to do with a document. */
export const jobs = {
  /** Learns what a bot teaches; with vectors of its texts as well. */
  train: ({ document, vectors }: { readonly document: BotDocument; readonly vectors?: Vectors | undefined }) =>
    trainListener(document, ownLexicon(), vectors),
  /** How well a bot understands its own phrases, and which of them are all but the same. */
  quality: ({ document, classifier, vectors }: QualityJob) => {
    const samples = samplesOf(document, ownLexicon());
    return {
      judged: crossValidate(samples, classifier, vectors),
      duplicates: nearDuplicates(samples, ownLexicon(), vectors),
    };
  },
  /** What an encoder has to read before a bot can be learned with it. */
  texts: ({ document }: { readonly document: BotDocument }) => textsToEncode(samplesOf(document, ownLexicon()), ENCODES),
};

export type JobName = keyof typeof jobs;
type JobOf<N extends JobName> = { readonly name: N } & Parameters<(typeof jobs)[N]>[0];
export type JobResult<N extends JobName> = ReturnType<(typeof jobs)[N]>;
export type Job = { [N in JobName]: JobOf<N> }[JobName];
export type JobSays = { readonly result: unknown } | { readonly error: string };
