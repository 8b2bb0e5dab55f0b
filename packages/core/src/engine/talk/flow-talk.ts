import type { RoleModel } from '../../understanding/roles.js';

/** A value that a flow takes or asks for: where it goes, what kind it is, and the node that asks for it, if one does. */
export interface Slot {
  readonly target: string;
  readonly entity: string;
  readonly node?: string;
}

/** A variable that a node gives a value, and those that this value is made of. */
export interface Assignment {
  readonly target: string;
  readonly reads: readonly string[];
}

/** What a node depends on: all the variables that it reads, and those by which it gives others their values. */
export interface NodeReads {
  readonly reads: readonly string[];
  readonly assigns: readonly Assignment[];
}

/** What is asked in a flow, and what depends on what. */
export interface FlowTalk {
  readonly slots: readonly Slot[];
  readonly nodes: ReadonlyMap<string, NodeReads>;
  /** Nodes at which a visitor decides on something that is then done outside, before anybody is asked again. */
  readonly confirms: ReadonlySet<string>;
  /** Whether something outside may be changed in it before anybody is asked. */
  readonly changesUnasked: () => boolean;
  /** How the roles of its slots are said, learned from the phrases of the intents that start it. */
  readonly roles: () => readonly RoleModel[];
}
