import type { QualityReport } from '@primrose/core';
import { useCallback, useEffect, useState } from 'react';
import { call, errorText } from '../../api.js';
import { useDraftHandle } from '../../draft/context.js';

export interface Measured {
  readonly report: QualityReport;
  readonly encoder: boolean;
  readonly ms: number;
  readonly revision: number;
}

export interface Quality {
  readonly now: Measured | undefined;
  /** What was measured before the last change. */
  readonly before: Measured | undefined;
  readonly measuring: boolean;
  readonly problem: string | undefined;
  readonly measure: () => Promise<void>;
}

/** Measures the draft when the page opens, and again when asked. */
export function useQuality(): Quality {
  const { bot, flush } = useDraftHandle();
  const [all, setAll] = useState<{ readonly now?: Measured; readonly before?: Measured }>({});
  const [measuring, setMeasuring] = useState(true);
  const [problem, setProblem] = useState<string>();
  const run = useCallback(async () => {
    try {
      await flush();
      const measured = await call('measureQuality', { params: { bot }, body: {} });
      setAll(({ now, before }) =>
        now?.revision === measured.revision
          ? { now: measured, ...(before ? { before } : {}) }
          : { now: measured, ...(now ? { before: now } : {}) },
      );
      setProblem(undefined);
    } catch (error) {
      setProblem(errorText(error));
    } finally {
      setMeasuring(false);
    }
  }, [bot, flush]);
  useEffect(() => {
    const timer = setTimeout(() => void run());
    return () => clearTimeout(timer);
  }, [run]);
  const measure = () => {
    setMeasuring(true);
    return run();
  };
  return { now: all.now, before: all.before, measuring, problem, measure };
}
