import type { BotDocument, Problem, ResolvedValue, Value } from '@primrose/core';
import { createContext, useContext } from 'react';

/** What the fields of one node share: its problems by field, and what its fields read as in the last turn. */
export interface FieldSetting {
  readonly document: BotDocument;
  readonly flowId: string;
  readonly problems: readonly Problem[];
  readonly resolved: readonly ResolvedValue[];
  /** Which turn that was, in words. */
  readonly readIn: string;
  /** By name, `flow.day`: what variables held after the last turns. */
  readonly last: ReadonlyMap<string, Value>;
  /** Mends the first mistake of a field for which a fix is known; false where there is none. */
  readonly applyFix: (field: string) => boolean;
  /** Goes back to the node on the Map. */
  readonly leave: () => void;
}

export const FieldContext = createContext<FieldSetting | undefined>(undefined);

export function useFieldSetting(): FieldSetting {
  const setting = useContext(FieldContext);
  if (!setting) throw new Error('a field stands outside the details');
  return setting;
}
