import { useCallback, useRef, useState } from 'react';
import { errorText } from '../api.js';

/** Work that is done one piece after another, once the draft is saved. */
export interface Jobs {
  readonly busy: boolean;
  readonly problem: string | undefined;
  readonly setProblem: (problem: string | undefined) => void;
  readonly enqueue: (job: () => Promise<void>) => void;
}

/** `flush` saves the draft first, and says whether that worked; `onEnd` is called after each piece of work. */
export function useJobs(flush: () => Promise<boolean>, onEnd: () => void): Jobs {
  const [jobs, setJobs] = useState(0);
  const [problem, setProblem] = useState<string>();
  const queue = useRef<Promise<void>>(Promise.resolve());
  const enqueue = useCallback(
    (job: () => Promise<void>) => {
      setJobs((n) => n + 1);
      queue.current = queue.current
        .then(async () => {
          setProblem(undefined);
          if (!(await flush())) throw new Error('Your last changes are not saved yet, so they cannot be tried. See the top bar.');
          await job();
        })
        .catch((error: unknown) => setProblem(errorText(error)))
        .finally(() => {
          onEnd();
          setJobs((n) => n - 1);
        });
    },
    [flush, onEnd],
  );
  return { busy: jobs > 0, problem, setProblem, enqueue };
}
