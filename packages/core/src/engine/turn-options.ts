import type { WorkItem } from './agent/work.js';
import type { Value } from '../document/shapes.js';
import type { Steps } from '../expressions/steps.js';
import type { Extent } from './turn-record.js';
import type { Observer } from './types.js';

/** A variable that was written, and the node that wrote it. */
export interface Written {
  readonly flow: string;
  readonly node: string;
  readonly target: string;
  readonly value: Value;
}

/** How a turn is run. */
export interface TurnOptions {
  readonly observe?: Observer;
  /** Told what an agent does, as it does it; `place` is that of its node's run. */
  readonly work?: (place: string, item: WorkItem) => void;
  /** Told of each variable that is written, as it is, in whichever branch; provisional until the turn is over. */
  readonly wrote?: (written: Written) => void;
  /** Asks for a step before each node. */
  readonly stepping?: boolean;
  /**
   * Whether the turn may rest before a node runs: `asked` where that node wants to. `runs` counts the nodes that ran. Where it
   * may not, the node simply runs again. A turn never rests inside a branch.
   */
  readonly rests?: (asked: boolean, runs: number) => boolean;
}

/** Where a branch runs: what its places begin with, and how many flows it stands in. */
export interface Inside {
  readonly prefix: string;
  readonly depth: number;
  /** Its share of what expressions may still cost, and of how large the record may become. */
  readonly steps: Steps;
  readonly extent: Extent;
  /** How often agents had asked a model before it branched. */
  readonly agentSteps: number;
}
