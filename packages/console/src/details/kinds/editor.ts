import type { FlowNode } from '@primrose/core';

/** What the editor of a kind is given. */
export interface EditorProps {
  readonly node: FlowNode;
  /** Sets one field of the node; undefined takes it away. */
  readonly set: (field: string, value: unknown) => void;
}
