import { useState } from 'react';
import { errorText, invalidate } from '../api.js';

/** Does something to the conversation, and says why where it is not done. */
export interface Doing {
  readonly busy: boolean;
  readonly problem: string | undefined;
  readonly run: (work: Promise<unknown>) => Promise<boolean>;
}

/** What is done to a conversation in the inbox, one thing at a time. */
export function useDoing(): Doing {
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<string>();
  const run = (work: Promise<unknown>): Promise<boolean> => {
    setBusy(true);
    return work
      .then(
        () => {
          setProblem(undefined);
          return true;
        },
        (error: unknown) => {
          setProblem(errorText(error));
          return false;
        },
      )
      .finally(() => {
        setBusy(false);
        invalidate('listInbox', 'getInboxTalk');
      });
  };
  return { busy, problem, run };
}
