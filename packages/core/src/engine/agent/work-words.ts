import type { CallOutcome, WorkItem } from './work.js';

/** What became of a call, in words. */
const OUTCOMES: Readonly<Record<CallOutcome, string>> = {
  done: 'done',
  failed: 'failed',
  refused: 'refused: not tried',
  began: 'began',
  declined: 'the visitor said no',
  'answered-otherwise': 'neither yes nor no',
  repeated: 'not run again',
  'not-run': 'not run',
};

const THEN: Readonly<Record<Extract<WorkItem, { did: 'checked' }>['then'], string>> = {
  said: 'they were said',
  'asked-again': 'it was asked again',
  corrected: 'the bot put it right',
};

/** One thing that an agent did, in a few English words for designers: "find_sailings, done". */
export function workWords(item: WorkItem): string {
  switch (item.did) {
    case 'asked':
      return item.wants ? `asked ${item.profile}: it wants ${item.wants.join(', ')}` : `asked ${item.profile}: it answers`;
    case 'called':
      return `${item.tool}, ${OUTCOMES[item.outcome]}`;
    case 'asked-first':
      return item.answer === undefined
        ? `asked the visitor before ${item.tool}`
        : `the visitor’s answer on ${item.tool}: ${item.answer}`;
    case 'checked':
      return item.claims.length === 0 ? 'its words were checked' : `its words claim what was not done; ${THEN[item.then]}`;
    case 'stopped':
      return `stopped at ${item.limit} of the ${item.of}: ${item.used} of ${item.most}`;
    default:
      return item satisfies never;
  }
}

/** True for what went wrong, or was held back. */
export function wentWrong(item: WorkItem): boolean {
  if (item.did === 'stopped') return true;
  if (item.did === 'checked') return item.claims.length > 0;
  return item.did === 'called' && ['failed', 'refused', 'repeated', 'not-run'].includes(item.outcome);
}
