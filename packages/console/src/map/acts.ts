/** An exit, as one works on it. */
export interface OpenChip {
  readonly node: string;
  readonly exit: string;
}

/** What can be done on the Map; the page does it to the draft. */
export interface MapActs {
  readonly select: (node: string | undefined) => void;
  readonly mark: (nodes: readonly string[]) => void;
  readonly add: (kind: string, after: OpenChip | undefined) => void;
  readonly addLines: (lines: readonly string[], after: OpenChip | undefined) => void;
  readonly paste: (text: string, after: OpenChip | undefined) => boolean;
  readonly link: (after: OpenChip, to: string | undefined) => void;
  readonly remove: (nodes: readonly string[]) => void;
  readonly copy: (nodes: readonly string[]) => string;
  readonly duplicate: (nodes: readonly string[]) => void;
  readonly toggleOff: (nodes: readonly string[]) => void;
  readonly shift: (node: string, way: 'up' | 'down') => void;
  readonly cutOut: (nodes: readonly string[]) => void;
  readonly leave: () => void;
}
